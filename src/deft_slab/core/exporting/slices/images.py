"""The layers of a bed as pictures in a ZIP: one black and white PNG for each layer, with a pixel for each of the
printer's.
"""

from __future__ import annotations

import io
import json
import os
import struct
import zipfile
import zlib
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import IO, TypeVar

import numpy as np

from ...arrays import Bytes
from ...errors import SaveFailed
from ...locale.translate import tr
from ...printers.profile import Printer
from ...progress import QUIET, Job
from .image_kernels import filled
from .layers import Layer, Stack

A = TypeVar("A")
B = TypeVar("B")

ABOUT = "layers.json"
_AHEAD = 8
"""Layers that are worked on before the first of them is written: so that memory stays flat."""
_LEVEL = 1
"""Of packing: pictures of two colours are small at any."""
_RULE = 0.5
"""Of its outline's length times the width of a pixel, by which the pixels of a layer may be off its area."""


def picture_size(printer: Printer) -> tuple[int, int]:
    """Columns and rows of the whole plate, at the width of the printer's pixels."""
    return int(printer.bed_x / printer.line_width + 1e-6), int(printer.bed_y / printer.line_width + 1e-6)


def write_layers(stack: Stack, printer: Printer, title: str, file: IO[bytes], job: Job = QUIET) -> list[float]:
    """Write the pictures of all layers, and "layers.json", which describes them, into a file that is open for
    reading and writing. Then read them all again.

    Returns
    -------
    list of float
        The area of each layer in mm², computed from its pixels.

    Raises
    ------
    SaveFailed
        A picture does not read back as its layer.
    Cancelled
        The job is no longer wanted.
    """
    columns, rows = picture_size(printer)
    pixel, count = printer.line_width, stack.levels.count
    about: dict[str, object] = {
        "title": title, "printer": printer.name, "unit": "mm", "layers": count, "layer_mm": stack.thickness,
        "pixel_mm": pixel, "columns": columns, "rows": rows, "first_pixel": tr("left, at the back, seen from above"),
        "bottom_layers": printer.bottom_layers, "bottom_seconds": printer.bottom_seconds,
        "exposure_seconds": printer.exposure_seconds, "lift_seconds": printer.lift_seconds,
    }
    pixels, wanted = list[int](), list[tuple[float, float]]()

    def drawn(layer: Layer) -> tuple[bytes, int, float, float]:
        bits, set_ = filled(layer.points, layer.start, pixel, columns, rows)
        return png_of(bits, columns), int(set_), layer.area, layer.around

    writing, reading = job.part(0.0, 0.7), job.part(0.7, 1.0)
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as archive:
        for number, (content, set_, area, around) in enumerate(_ahead(drawn, stack.layers())):
            writing.step(number / count, tr("Drawing layer {number} of {count}", number=number + 1, count=count))
            _put(archive, name_of(number), content)
            pixels.append(set_)
            wanted.append((area, around))
        about["areas_mm2"] = [round(one * pixel**2, 6) for one in pixels]
        _put(archive, ABOUT, json.dumps(about, ensure_ascii=False).encode())
    for number, set_ in enumerate(_ahead(_counted, _contents(file, count))):
        reading.step(number / count, tr("Reading layer {number} of {count}", number=number + 1, count=count))
        area, around = wanted[number]
        if set_ != pixels[number] or abs(set_ * pixel**2 - area) > _RULE * pixel * around + pixel**2:
            raise SaveFailed(tr("Layer {number} reads back as {set:.2f} mm² instead of {area:.2f}.", number=number + 1,
                                set=set_ * pixel ** 2, area=area),
                             kept=tr("Nothing was saved."))
    return [one * pixel**2 for one in pixels]


def name_of(number: int) -> str:
    """The name of a layer's picture; layers are numbered from 0."""
    return f"{number + 1:05d}.png"


def _contents(file: IO[bytes], count: int) -> Iterator[bytes]:
    with zipfile.ZipFile(file) as archive:
        for number in range(count):
            yield archive.read(name_of(number))


def _put(archive: zipfile.ZipFile, name: str, content: bytes) -> None:
    entry = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
    entry.external_attr = 0o644 << 16
    archive.writestr(entry, content)


def png_of(bits: Bytes, columns: int) -> bytes:
    """A picture in two colours as a PNG (ISO/IEC 15948: grey, one bit per pixel, rows unfiltered). The usual library
    first makes a byte of each pixel, which takes eight times as long (measured).

    Parameters
    ----------
    bits : array of uint8
        (rows, ceil(columns / 8)), see ``filled``.
    """
    head = struct.pack(">IIBBBBB", columns, len(bits), 1, 0, 0, 0, 0)
    rows = np.concatenate([np.zeros((len(bits), 1), np.uint8), bits], axis=1)
    chunks = ((b"IHDR", head), (b"IDAT", zlib.compress(rows.tobytes(), _LEVEL)), (b"IEND", b""))
    return b"\x89PNG\r\n\x1a\n" + b"".join(
        struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data)) for name, data in chunks
    )


def _counted(content: bytes) -> int:
    """The number of white pixels of a picture, read by another library."""
    from PIL import Image

    with Image.open(io.BytesIO(content)) as picture:
        around = picture.getbbox()  # most of a picture is black, and its pixels take longer to count than to unpack
        return int(picture.crop(around).histogram()[255]) if around else 0


def _ahead(of: Callable[[A], B], given: Iterable[A]) -> Iterator[B]:
    """Apply ``of`` to each item on all cores and in order, computing only a few results in advance."""
    waiting: deque[Future[B]] = deque()
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        for one in given:
            waiting.append(pool.submit(of, one))
            if len(waiting) > _AHEAD:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()
