"""Files that are well formed and say something else than they did: a value of XML, of JSON or of a list of words made
what nobody meant, a part left out, doubled or put elsewhere. Damage to bytes is in ``tests.fuzz``.
"""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections.abc import Callable
from typing import Any

import numpy as np

ODD = (
    "", "0", "-1", "NaN", "inf", "-inf", "1e400", "-1e300", "99999999999999999999", "4294967296", "0x10", "1,5",
    "1e-320", "²", "\u202eabc", "../../x", "a" * 5000, "null", "[]", " ",
)
"""What stands in place of a word or number."""
ODD_JSON: tuple[Any, ...] = (
    None, True, 0, -1, 1.5, 10**30, float("nan"), float("inf"), -1e300, "", "x" * 5000, "NaN", "\u202e", [], {}, [[]],
    [None], {"a": []}, [1] * 2000,
)


def of_xml(content: bytes, random: np.random.Generator) -> bytes:
    """With one attribute that says something odd, or one element left out, doubled or moved to the end."""
    attributes = list(re.finditer(rb'="([^"]*)"', content))
    elements = list(re.finditer(rb"<([A-Za-z:]+)[^<>]*/>", content))
    if attributes and (not elements or random.random() < 0.7):
        one = attributes[int(random.integers(len(attributes)))]
        odd = ODD[int(random.integers(len(ODD)))].encode()
        return content[: one.start(1)] + odd + content[one.end(1) :]
    if not elements:
        return content
    one = elements[int(random.integers(len(elements)))]
    way = int(random.integers(3))
    kept = content[: one.start()] + content[one.end() :]
    if way == 0:
        return kept
    end = kept.rfind(b"</") if way == 1 else one.start()
    return kept[:end] + one.group() * (1 if way == 1 else 3) + kept[end:]


def of_json(value: Any, random: np.random.Generator) -> Any:
    """With one value somewhere in it made odd, left out or doubled."""
    if isinstance(value, dict) and value and random.random() < 0.9:
        name = sorted(value)[int(random.integers(len(value)))]
        if random.random() < 0.1:
            return {other: one for other, one in value.items() if other != name}
        return value | {name: of_json(value[name], random)}
    if isinstance(value, list) and value and random.random() < 0.9:
        at = int(random.integers(len(value)))
        if random.random() < 0.1:
            return value[:at] + value[at + 1 :]
        if random.random() < 0.1:
            return [*value[:at], value[at], *value[at:]]
        return [*value[:at], of_json(value[at], random), *value[at + 1 :]]
    return ODD_JSON[int(random.integers(len(ODD_JSON)))]


def of_words(content: bytes, random: np.random.Generator) -> bytes:
    """With one to three words of a text made odd, or a line left out, doubled or swapped with another."""
    lines = content.split(b"\n")
    for _ in range(int(random.integers(1, 4))):
        at = int(random.integers(len(lines)))
        way = random.random()
        if way < 0.15:
            del lines[at]
        elif way < 0.25:
            lines.insert(at, lines[at])
        elif way < 0.35:
            other = int(random.integers(len(lines)))
            lines[at], lines[other] = lines[other], lines[at]
        else:
            words = re.split(rb"([\s,()]+)", lines[at])
            words[int(random.integers(len(words)))] = ODD[int(random.integers(len(ODD)))].encode()
            lines[at] = b"".join(words)
        if not lines:
            return b""
    return b"\n".join(lines)


def of_floats(content: bytes, random: np.random.Generator, start: int) -> bytes:
    """With some of the numbers of four bytes from ``start`` on made odd."""
    data = bytearray(content)
    odd = np.array([np.nan, np.inf, -np.inf, 3e38, -3e38, 1e-40, 0.0, -0.0], np.float32)
    for _ in range(int(random.integers(1, 6))):
        at = start + 4 * int(random.integers(max((len(data) - start) // 4, 1)))
        data[at : at + 4] = odd[int(random.integers(len(odd)))].tobytes()
    return bytes(data)


def of_archive(content: bytes, change: Callable[[str, bytes], bytes], random: np.random.Generator) -> bytes:
    """An archive with one part changed, left out or doubled. change : gets its name and content"""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        names = [entry.filename for entry in old.infolist()]
        chosen = int(random.integers(len(names)))
        leave_out = random.random() < 0.1
        for n, name in enumerate(names):
            part = old.read(name)
            if n == chosen and leave_out:
                continue
            new.writestr(name, change(name, part) if n == chosen else part)
    return out.getvalue()


def part_changed(name: str, part: bytes, random: np.random.Generator) -> bytes:
    """A part of an archive, by what its name says that it is."""
    if name.endswith((".model", ".rels", ".xml")):
        return of_xml(part, random)
    if name.endswith(".json"):
        return json.dumps(of_json(json.loads(part), random)).encode()
    return of_floats(part, random, 0) if len(part) > 8 else part


def mutated(kind: str, content: bytes, number: int) -> bytes:
    """Variant ``number`` of a file of a format."""
    random = np.random.default_rng([number, len(content), 7])
    if kind == "3MF":
        return of_archive(content, lambda name, part: part_changed(name, part, random), random)
    if kind == "glTF":
        return json.dumps(of_json(json.loads(content), random)).encode()
    if kind == "GLB":
        length = int.from_bytes(content[12:16], "little")
        text = json.dumps(of_json(json.loads(content[20 : 20 + length]), random)).encode()
        text += b" " * (-len(text) % 4)
        body = len(text).to_bytes(4, "little") + b"JSON" + text + content[20 + length :]
        return b"glTF" + (2).to_bytes(4, "little") + (12 + len(body)).to_bytes(4, "little") + body
    if kind == "STL" and not content.startswith(b"solid"):
        return of_floats(content, random, 84)
    if kind == "PLY" and b"binary" in content[:100]:
        head, end, body = content.partition(b"end_header\n")
        return of_words(head, random) + end + body if number % 3 else head + end + of_floats(body, random, 0)
    return of_words(content, random)
