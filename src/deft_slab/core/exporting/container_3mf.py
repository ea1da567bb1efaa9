"""The 3MF container: the library's parts, repacked so that every reader opens it and the same content gives the same
bytes.

The library packs with a zip version that some readers refuse, gives every object a random identifier, and writes
transforms with six digits, which displaces a prop of 300 mm by up to 0.0005 mm.
"""

from __future__ import annotations

import io
import re
import uuid
import zipfile
import zlib
from collections.abc import Sequence
from pathlib import Path

from ..arrays import Floats

_MODEL = "3D/3dmodel.model"
_FIRST = ("[Content_Types].xml", "_rels/.rels", _MODEL)
_LEVEL = 5
"""Of packing: the next ones take twice as long for a hundredth of the size."""
_UUID = re.compile(rb'(UUID=")[0-9A-Fa-f-]{36}(")')
_ITEM = re.compile(rb"<item\b[^>]*?/?>")
_TRANSFORM = re.compile(rb'\s+transform="[^"]*"')
_NAMES = uuid.UUID("7d3c1d6e-3a86-5c0e-9a55-6d1f0b0a5e17")
"""Of the identifiers that are given: any one, always the same."""


def packed(content: bytes, transforms: Sequence[Floats]) -> bytes:
    """The library's container, repacked.

    Parameters
    ----------
    transforms : sequence of (4, 3) float64
        Those of the build items in order; row vectors from the left, the last row is the translation (3MF Core
        Specification 1.3, section 3.3).
    """
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        parts = {entry.filename: archive.read(entry) for entry in archive.infolist()}
    parts[_MODEL] = _exact(parts[_MODEL], transforms)
    names = [name for name in _FIRST if name in parts]
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=_LEVEL) as archive:
        for name in (*names, *sorted(parts.keys() - set(names))):
            entry = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
            entry.compress_type = zipfile.ZIP_DEFLATED
            entry.external_attr = 0o644 << 16
            archive.writestr(entry, parts[name])
    return out.getvalue()


def part_of(path: Path, name: str) -> bytes | None:
    """A part of a container on disk, given its path inside; None if there is none, or the file is not a container."""
    try:
        with zipfile.ZipFile(path) as archive:
            return archive.read(name.lstrip("/"))
    except (OSError, KeyError, zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError):
        return None


def _exact(text: bytes, transforms: Sequence[Floats]) -> bytes:
    """The text of a model with numbered identifiers and exact transforms of its build items."""
    numbers = iter(range(10**9))

    def named(found: re.Match[bytes]) -> bytes:
        return found[1] + str(uuid.uuid5(_NAMES, str(next(numbers)))).encode() + found[2]

    text = _UUID.sub(named, text)
    start = text.rfind(b"<build")
    moves = iter(transforms)

    def moved(found: re.Match[bytes]) -> bytes:
        tag = _TRANSFORM.sub(b"", found[0])
        end = b"/>" if tag.endswith(b"/>") else b">"
        matrix = " ".join(f"{value + 0.0:.12g}" for value in next(moves).ravel().tolist())
        return tag[: -len(end)] + f' transform="{matrix}"'.encode() + end

    return text[:start] + _ITEM.sub(moved, text[start:])
