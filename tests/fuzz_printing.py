"""What goes to printers and comes from them, made odd: beds for the stand-in, recipes and profiles for the program, and
printers that answer as nobody should. Each must give a message or a thing that makes sense, within its time.

``python -m tests.fuzz`` runs the long form after that of models; the suite runs a short one.
"""

from __future__ import annotations

import contextlib
import json
import shutil
import socket
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from deft_slab.core.cuts import StraightCut
from deft_slab.core.errors import DeftError
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.beds import laid_with_job
from deft_slab.core.exporting.delivery import deliver
from deft_slab.core.exporting.options import Wished
from deft_slab.core.joins import KeyJoin
from deft_slab.core.plan.plan import Plan
from deft_slab.core.plan.recipe import Recipe, read_recipe
from deft_slab.core.printers.profile import Printer, default_printer, read_printer, shipped_printers
from deft_slab.core.printing.link import Link, PrinterTrouble
from deft_slab.core.printing.messages import SPEAKS, About, Status, digest_of
from deft_slab.standin.machine import Machine
from tests.mutated import of_archive, of_json, part_changed
from tests.shapes import box, model_of, solid_of

SECONDS = 10.0
"""What one variant may take."""
RESIN = shipped_printers()["small-resin"].changed(layer_heights=(0.05,), line_width=0.1)
STATUS = Status(id="a-1", name="Pillar", state="printing", layer=3, layers=40, seconds_left=100.0, grams=2.0)
ABOUT = About(speaks=SPEAKS, name="Odd", kind="resin", bed=(130, 80, 160), pixel=0.1, material="m", loaded=900.0,
              speed=1.0, jobs=(STATUS,))


def beds(folder: Path) -> list[tuple[Path, Printer]]:
    """Sound beds: of resin as a 3MF and as layers, of filament as a 3MF."""
    model = model_of(solid_of(box(10, 10, 2)))
    found = []
    for name, printer in (("resin", RESIN), ("filament", default_printer())):
        outcome = Evaluator(model).evaluate(Plan(model=model.ref), printer)
        laid, work = laid_with_job(outcome, printer)
        layers = printer.kind == "resin"
        deliver(outcome.pieces, laid, printer, "Pillar", folder / name, Wished(pieces=(), layers=layers), work)
        found += [(path, printer) for path in sorted((folder / name).glob("bed-1*")) if path.suffix in (".3mf", ".zip")]
    return found


def odd_beds(count: int) -> list[str]:
    """What went wrong with so many variants of each bed."""
    wrong = []
    with tempfile.TemporaryDirectory(prefix="deft-fuzz-beds-") as place:
        folder = Path(place)
        for path, printer in beds(folder):
            for number in range(count):
                random = np.random.default_rng([number, path.stat().st_size])
                content = of_archive(path.read_bytes(), lambda n, part, r=random: part_changed(n, part, r), random)
                body = folder / f"coming{path.suffix}"
                body.write_bytes(content)
                machine = Machine(printer, folder / "kept")
                begun = time.monotonic()
                with contextlib.suppress(DeftError):
                    machine.take("a-1", "Pillar", digest_of(body), path.suffix, body)
                if time.monotonic() - begun > SECONDS:
                    wrong.append(f"{path.name} {number}: {time.monotonic() - begun:.1f} s")
                shutil.rmtree(folder / "kept", ignore_errors=True)
    return wrong


def odd_documents(count: int) -> tuple[int, int]:
    """(how many variants of a recipe and a profile were read, how many gave a message); whatever else comes out is an
    error of the caller's.
    """
    key = KeyJoin(id="j1", cut="c1", between=(-1, 1), at=(0, 0, 0), height=5.0)
    recipe = Recipe(cuts=(StraightCut(id="c1", name="Waist", normal=(0, 0, 1), offset=5.0),), joins=(key,))
    read, told = 0, 0
    for sound, reader in ((recipe, read_recipe), (RESIN, read_printer)):
        document = json.loads(sound.model_dump_json())
        for number in range(count):
            try:
                reader(json.dumps(of_json(document, np.random.default_rng([number, 3]))).encode())
                read += 1
            except DeftError as error:
                told += bool(str(error))
    return read, told


class OddPrinter:
    """A printer that answers anything: a sound answer with odd values, cut off, endless, too late, or no HTTP."""

    def __init__(self) -> None:
        self._server = socket.create_server(("127.0.0.1", 0))
        self.link = Link(f"http://127.0.0.1:{self._server.getsockname()[1]}", "t", patience=1.0, longest=1.0)
        self.number = 0
        self._threads = [threading.Thread(target=self._serve)]
        self._ends = False
        self._threads[0].start()

    def close(self) -> None:
        self._ends = True
        for thread in self._threads:
            thread.join()
        self._server.close()

    def _serve(self) -> None:
        self._server.settimeout(0.1)
        while not self._ends:
            with contextlib.suppress(TimeoutError):
                one, _ = self._server.accept()
                self._threads.append(threading.Thread(target=self._answer, args=(one,)))
                self._threads[-1].start()

    def _answer(self, one: socket.socket) -> None:
        with one, contextlib.suppress(OSError):
            one.settimeout(1.0)
            one.recv(65536)
            for piece in self._pieces(np.random.default_rng([self.number, 11])):
                one.sendall(piece)

    def _pieces(self, random: np.random.Generator) -> Iterator[bytes]:
        document = json.loads(ABOUT.model_dump_json())
        body = json.dumps(of_json(document, random) if random.random() < 0.8 else document).encode()
        status = (
            b"200 OK",
            b"200 OK",
            b"200 OK",
            b"204 No",
            b"301 There",
            b"404 \x1b[2J",
            b"500 Bad",
            b"999 What",
            b"x",
        )
        length = (len(body), len(body), len(body), len(body) + 50, max(len(body) - 9, 0), -1, 10**12)
        head = b"HTTP/1.1 %s\r\nContent-Type: application/json\r\nContent-Length: %d\r\n\r\n" % (
            status[int(random.integers(len(status)))], length[int(random.integers(len(length)))],
        )
        whole = head + body
        way = random.random()
        if way < 0.5:
            yield whole
        elif way < 0.7:
            yield whole[: int(random.integers(1, len(whole)))]
        elif way < 0.8:
            data = bytearray(whole)
            for _ in range(20):
                data[int(random.integers(len(data)))] = int(random.integers(256))
            yield bytes(data)
        elif way < 0.9:
            yield from (head, *(body[n : n + 1] for n in range(0, len(body), 1)))
        else:  # a byte now and then, without end
            end = time.monotonic() + 3.0
            yield head if random.random() < 0.5 else b"HTTP/1.1 200 OK\r\n"
            while time.monotonic() < end:
                time.sleep(0.05)
                yield b"X"


def odd_answers(count: int) -> list[str]:
    """What went wrong with so many answers of a printer to each of three questions."""
    wrong, printer = [], OddPrinter()
    try:
        for number in range(count):
            printer.number = number
            for ask in (printer.link.about, lambda: printer.link.status("a-1"), lambda: printer.link.picture("a-1", 1)):
                begun = time.monotonic()
                try:
                    ask()
                except PrinterTrouble as error:
                    if not str(error) or "\x1b" in str(error):
                        wrong.append(f"{number}: {error!r}")
                except BaseException as error:  # noqa: BLE001 - whatever else comes out is what is looked for
                    wrong.append(f"{number}: {type(error).__name__}: {error}"[:200])
                if time.monotonic() - begun > SECONDS:
                    wrong.append(f"{number}: {time.monotonic() - begun:.1f} s")
    finally:
        printer.close()
    return wrong
