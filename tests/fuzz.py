"""Damaged files for every reader, and well-formed ones that say odd things: each must give a message or a model, never
a crash, a hang or a flood of memory. Then beds, recipes and profiles, and printers that answer anything.

``python -m tests.fuzz [--count 2000] [--formats STL,OBJ]`` runs the long form (``./deft fuzz``); the suite runs a
short one. Variants are read in a process of its own, so that a crash is seen and counted.
"""

from __future__ import annotations

import argparse
import base64
import io
import json
import logging
import multiprocessing
import resource
import sys
import tempfile
import time
import warnings
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from pathlib import Path

import lib3mf
import numpy as np
import trimesh

from deft_slab.core.errors import DeftError
from deft_slab.core.importing.readers import open_file
from deft_slab.demo import TROUBLED
from deft_slab.demo.exact import ring_step
from tests import fuzz_printing
from tests.mutated import mutated

SECONDS = 10.0
BYTES = 3 * 2**30
"""What one variant may take, on top of what the process has when it begins."""


def _ball(count: int = 2) -> trimesh.Trimesh:
    return trimesh.creation.icosphere(count, 20.0)


def _threemf() -> bytes:
    model = lib3mf.get_wrapper().CreateModel()
    ball = _ball(1)
    mesh = model.AddMeshObject()
    vertices = [lib3mf.Position((lib3mf.ctypes.c_float * 3)(*v)) for v in ball.vertices]
    mesh.SetGeometry(vertices, [lib3mf.Triangle((lib3mf.ctypes.c_uint32 * 3)(*f)) for f in ball.faces])
    pair = model.AddComponentsObject()
    for x in (0.0, 50.0):
        transform = lib3mf.get_wrapper().GetTranslationTransform(x, 0, 0)
        pair.AddComponent(mesh, transform)
    model.AddBuildItem(pair, lib3mf.get_wrapper().GetIdentityTransform())
    return bytes(model.QueryWriter("3mf").WriteToBuffer())


def seeds() -> dict[str, list[tuple[str, bytes]]]:
    """For each format, the ending and content of sound files to damage."""
    ball = _ball()
    scene = trimesh.Scene({"one": _ball(1), "two": _ball(1).apply_translation([50, 0, 0])})
    files = scene.export(file_type="gltf")
    gltf = json.loads(files["model.gltf"])
    for buffer in gltf["buffers"]:
        content = base64.b64encode(files[buffer["uri"]]).decode()
        buffer["uri"] = f"data:application/octet-stream;base64,{content}"
    polygons = b"o prism\nv 0 0 0\nv 9 0 0\nv 9 9 0\nv 4 3 0\nv 0 9 0\nv 4 4 9\nf 5 4 3 2 1\n"
    polygons += b"f -6 -5 -1\nf 2 3 6\nf 3 4 6\n"
    return {
        "STL": [(".stl", ball.export(file_type="stl")), (".stl", _ball(1).export(file_type="stl_ascii").encode())],
        "OBJ": [(".obj", _ball(1).export(file_type="obj").encode()), (".obj", polygons + b"f 4 5 6\nf 5 1 6\n")],
        "PLY": [(".ply", ball.export(file_type="ply")), (".ply", _ball(1).export(file_type="ply", encoding="ascii"))],
        "OFF": [(".off", _ball(1).export(file_type="off").encode())],
        "GLB": [(".glb", scene.export(file_type="glb")), (".glb", TROUBLED["standing-on-y"].read_bytes()[:200_000])],
        "glTF": [(".gltf", json.dumps(gltf).encode())],
        "3MF": [(".3mf", _threemf())],
        "STEP": [(".step", ring_step(20, 15, 6).encode())],
    }


def _repacked(content: bytes, change) -> bytes:
    """A 3MF with the text of its model changed."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        for entry in old.infolist():
            part = old.read(entry)
            new.writestr(entry.filename, change(part) if entry.filename.endswith(".model") else part)
    return out.getvalue()


def _flipped(content: bytes, random: np.random.Generator) -> bytes:
    data = bytearray(content)
    for _ in range(int(random.integers(1, 12))):
        data[int(random.integers(len(data)))] ^= 1 << int(random.integers(8))
    return bytes(data)


def _huge_numbers(content: bytes, random: np.random.Generator) -> bytes:
    """Counts and indices made huge: a stretch of bytes becomes 0xff or large digits."""
    data = bytearray(content)
    at = int(random.integers(min(len(data), 400) if random.random() < 0.5 else len(data)))
    filler = b"\xff\xff\xff\x7f" if random.random() < 0.5 else b"999999999"
    data[at : at + len(filler)] = filler
    return bytes(data)


def _spliced(content: bytes, random: np.random.Generator) -> bytes:
    a, b = sorted(random.integers(0, len(content), 2).tolist())
    return content[:b] + content[a:] if random.random() < 0.5 else content[:a] + content[b:]


def damaged(kind: str, content: bytes, number: int) -> bytes:
    """Variant ``number`` of a file."""
    random = np.random.default_rng([number, len(content)])
    ways = (
        lambda data: _flipped(data, random),
        lambda data: data[: int(random.integers(1, len(data)))],
        lambda data: _huge_numbers(data, random),
        lambda data: _spliced(data, random),
        lambda data: _flipped(_spliced(data, random), random),
    )
    way = ways[number % len(ways)]
    if kind == "3MF" and number % 2:  # the text inside, not the packing of it
        return _repacked(content, way)
    return way(content)


def nasty() -> Iterator[tuple[str, str, bytes]]:
    """(kind, ending, content) of files made to do harm."""
    base = _threemf()
    bomb = "<!DOCTYPE x [" + "".join(
        f'<!ENTITY e{n} "{f"&e{n - 1};" * 10 if n else "harm"}">' for n in range(12)
    ) + "]>"
    yield "3MF", ".3mf", _repacked(base, lambda text: text.replace(b"?>", b"?>" + bomb.encode(), 1))
    yield "3MF", ".3mf", _repacked(base, lambda text: text + b" " * 300_000_000)
    yield "3MF", ".3mf", _repacked(base, lambda text: text.replace(b"<mesh>", b"<mesh>" * 20_000))
    nested = b"".join(
        b'<object id="%d" type="model"><components><component objectid="%d"/><component objectid="%d"/>'
        b"</components></object>" % (n, n - 1, n - 1)
        for n in range(100, 130)
    )
    yield "3MF", ".3mf", _repacked(
        base,
        lambda text: text.replace(b"</resources>", nested.replace(b'objectid="99"', b'objectid="1"') + b"</resources>")
        .replace(b'<item objectid="2"', b'<item objectid="129"'),
    )
    yield "glTF", ".gltf", b'{"asset":{"version":"2.0"},"nodes":' + b"[" * 200_000 + b"]" * 200_000 + b"}"
    loop = {"asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"children": [0]}]}
    yield "glTF", ".gltf", json.dumps(loop).encode()
    yield "PLY", ".ply", (
        b"ply\nformat binary_little_endian 1.0\nelement vertex 2000000000\nproperty float x\nproperty float y\n"
        b"property float z\nelement face 2000000000\nproperty list uchar int vertex_indices\nend_header\n"
    ) + bytes(500)
    yield "OFF", ".off", b"OFF\n2000000000 2000000000 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"
    yield "STL", ".stl", b"\0" * 80 + b"\xff\xff\xff\xff" + bytes(5000)
    yield "OBJ", ".obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 999999999\n"
    yield "OBJ", ".obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf " + b"1 2 3 " * 100_000 + b"\n"
    yield "STEP", ".step", b"ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\n" + b"#1=A(" + b"(" * 100_000 + b");\nENDSEC;\n"
    yield from _structured()


def _structured() -> Iterator[tuple[str, str, bytes]]:
    """Small files that are well formed, and come to very much."""
    base = _threemf()
    turned = b"".join(
        b'<object type="model" name="a&gt;b" id="%d"><components><component transform="1 0 0 0 1 0 0 0 1 0 0 0" '
        b'objectid="%d"/><component objectid="%d"/></components></object>' % (n, n - 1 if n > 100 else 1, max(n - 1, 1))
        for n in range(100, 160)
    )
    nested = _repacked(
        base,
        lambda text: text.replace(b"</resources>", turned + b"</resources>").replace(
            b'objectid="2"', b'objectid="159"'
        ),
    )
    yield "3MF", ".3mf", nested
    yield "3MF", ".3mf", _renamed(nested, "3D/3dmodel.model", "3D/elsewhere.part")
    item = b'<item objectid="1"/>' * 20_000
    yield "3MF", ".3mf", _repacked(base, lambda text: text.replace(b"</build>", item + b"</build>"))
    large = b"".join(b'<triangle v1="0" v2="1" v3="2"/>' for _ in range(20_000))
    yield "3MF", ".3mf", _repacked(
        base,
        lambda text: text.replace(b"</triangles>", large + b"</triangles>").replace(
            b"</build>", item + b"</build>"
        ),
    )
    scene = trimesh.Scene()
    scene.add_geometry(trimesh.creation.icosphere(5, 20.0), geom_name="ball")
    glb = scene.export(file_type="glb")
    length = int.from_bytes(glb[12:16], "little")
    document = json.loads(glb[20 : 20 + length])
    mesh = next(node["mesh"] for node in document["nodes"] if "mesh" in node)
    document["nodes"] = [{"mesh": mesh, "translation": [n, 0, 0]} for n in range(50_000)]
    document["scenes"] = [{"nodes": list(range(50_000))}]
    yield "GLB", ".glb", _glb(document, glb[20 + length :])
    document["nodes"] = [{"children": [n + 1]} for n in range(50_000)] + [{"mesh": mesh}]
    document["scenes"] = [{"nodes": [0]}]
    yield "GLB", ".glb", _glb(document, glb[20 + length :])
    yield "OBJ", ".obj", b"\n" * 200_000 + b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"
    ring = b"".join(b"v %d %d 0\n" % (n, n * n % 1013) for n in range(200_000))
    yield "OBJ", ".obj", ring + b"f " + b" ".join(b"%d" % n for n in range(1, 200_001)) + b"\n"
    yield "PLY", ".ply", (
        b"ply\nformat ascii 1.0\nelement vertex 200000\nproperty float x\nproperty float y\nproperty float z\n"
        b"element face 1\nproperty list int int vertex_indices\nend_header\n"
        + b"".join(b"%d %d 0\n" % (n, n * n % 1013) for n in range(200_000))
        + b"200000 " + b" ".join(b"%d" % n for n in range(200_000)) + b"\n"
    )
    yield "STL", ".stl", b"solid x\n" + b"facet normal 0 0 1\n" * 200_000


def _glb(document: dict, rest: bytes) -> bytes:
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    body = len(text).to_bytes(4, "little") + b"JSON" + text + rest
    return b"glTF" + (2).to_bytes(4, "little") + (12 + len(body)).to_bytes(4, "little") + body


def _renamed(content: bytes, old: str, new: str) -> bytes:
    """A 3MF whose model part is called something else, which its relations may do."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as read, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as write:
        for entry in read.infolist():
            text = read.read(entry).replace(old.encode(), new.encode())
            text = text.replace(b'Extension="model"', b'Extension="part"')
            write.writestr(entry.filename.replace("3dmodel.model", new.rpartition("/")[2])
                           if entry.filename == old else entry.filename, text)
    return out.getvalue()


def serve(connection: Connection) -> None:
    """Reads files that are named through the pipe; answers with how it went."""
    logging.disable(logging.CRITICAL)
    warnings.simplefilter("ignore")
    sys.setrecursionlimit(1000)
    while True:
        name = connection.recv()
        if name is None:
            return
        started = time.monotonic()
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        try:
            open_file(Path(name))
            went = "model"
        except DeftError as error:
            went = "message" if str(error) else "empty message"
        except BaseException as error:  # noqa: BLE001 - whatever else comes out is what is looked for
            went = f"{type(error).__name__}: {error}"[:200]
        more = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
        more = max(more, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss - before)
        connection.send((went, time.monotonic() - started, more * 1024))


@dataclass
class Result:
    """How a format went. wrong : (variant, what happened)"""

    models: int = 0
    messages: int = 0
    slowest: float = 0.0
    largest: int = 0
    wrong: list[tuple[str, str]] = field(default_factory=list)


class Reader:
    """A process that reads; started again when it dies."""

    def __init__(self) -> None:
        self._context = multiprocessing.get_context("spawn")
        self._process = None

    def _start(self) -> None:
        self._connection, theirs = self._context.Pipe()
        self._process = self._context.Process(target=serve, args=(theirs,), daemon=True)
        self._process.start()
        theirs.close()
        self._warm = False

    def read(self, path: Path) -> tuple[str, float, int]:
        if self._process is None or not self._process.is_alive():
            self._start()
        self._connection.send(str(path))
        patience = SECONDS + (0 if self._warm else 60)  # the first answer waits for the packages to load
        if not self._connection.poll(patience):
            self._process.kill()
            self._process.join()
            return "hang", patience, 0
        try:
            answer = self._connection.recv()
        except EOFError:
            self._process.join()
            return f"crash (exit {self._process.exitcode})", 0.0, 0
        self._warm = True
        return answer

    def close(self) -> None:
        if self._process is not None and self._process.is_alive():
            self._connection.send(None)
            self._process.join(5)


def _note(result: Result, name: str, answer: tuple[str, float, int]) -> None:
    went, seconds, more = answer
    result.models += went == "model"
    result.messages += went == "message"
    result.slowest, result.largest = max(result.slowest, seconds), max(result.largest, more)
    if went not in ("model", "message"):
        result.wrong.append((name, went))
    elif seconds > SECONDS:
        result.wrong.append((name, f"{seconds:.1f} s"))
    elif more > BYTES:
        result.wrong.append((name, f"{more / 2**20:.0f} MB"))


def run(count: int, formats: list[str], *, harm: bool = True, keep: Path | None = None) -> dict[str, Result]:
    """Reads ``count`` variants of each format, of either kind; those that went wrong are kept in a folder, if one is
    given.
    """
    reader, results = Reader(), {kind: Result() for kind in formats}
    with tempfile.TemporaryDirectory(prefix="deft-fuzz-") as folder:
        reader.read(_written(Path(folder), "warm.stl", _ball().export(file_type="stl")))
        for kind in formats:
            sound = seeds()[kind]
            for number, make in ((n, make) for n in range(count) for make in (damaged, mutated)):
                ending, content = sound[number % len(sound)]
                content = content if isinstance(content, bytes) else content.encode()
                path = _written(Path(folder), f"{kind}-{make.__name__}-{number}{ending}", make(kind, content, number))
                _note(results[kind], path.name, reader.read(path))
                _tidy(path, results[kind], keep)
        for number, (kind, ending, content) in enumerate(nasty() if harm else ()):
            if kind in results:
                path = _written(Path(folder), f"{kind}-harm-{number}{ending}", content)
                _note(results[kind], path.name, reader.read(path))
                _tidy(path, results[kind], keep)
    reader.close()
    return results


def _written(folder: Path, name: str, content: bytes | str) -> Path:
    path = folder / name
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    return path


def _tidy(path: Path, result: Result, keep: Path | None) -> None:
    if keep is not None and result.wrong and result.wrong[-1][0] == path.name:
        keep.mkdir(parents=True, exist_ok=True)
        (keep / path.name).write_bytes(path.read_bytes())
    path.unlink()


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=2000, help="damaged and odd variants of each format (2000)")
    parser.add_argument("--formats", default=",".join(seeds()), help="which formats, with commas between them")
    parser.add_argument("--keep", type=Path, help="folder for the files that went wrong")
    arguments = parser.parse_args()
    wrong = 0
    for kind in arguments.formats.split(","):
        result = run(arguments.count, [kind], keep=arguments.keep)[kind]
        wrong += len(result.wrong)
        print(f"{kind}: {result.models} models, {result.messages} messages, slowest {result.slowest:.2f} s, "
              f"most memory {result.largest / 2**20:.0f} MB, wrong {len(result.wrong)}", flush=True)
        for name, what in result.wrong[:10]:
            print(f"  {name}: {what}")
    for what, found in (
        ("beds", fuzz_printing.odd_beds(arguments.count // 10)),
        ("answers of printers", fuzz_printing.odd_answers(arguments.count // 10)),
    ):
        wrong += len(found)
        print(f"{what}: wrong {len(found)}", *(f"  {one}" for one in found[:10]), sep="\n", flush=True)
    read, told = fuzz_printing.odd_documents(arguments.count)
    print(f"recipes and profiles: {read} read, {told} messages")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
