"""The whole way: from a model to beds, files, the sheet and a finished print on a stand-in, with what each part takes.

Says for each model: seconds for the sheet and its pages, seconds for the layers of its beds (resin), and what became of
the print. Models are those of the demo, or files that are named; open meshes of the libraries with "open".
"""

from __future__ import annotations

import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pypdf
import pyvista

from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.beds import laid_with_job
from deft_slab.core.exporting.delivery import deliver
from deft_slab.core.exporting.options import Wished
from deft_slab.core.exporting.sheet.build import BenchSheet, sheet_of
from deft_slab.core.exporting.sheet.subject import gathered
from deft_slab.core.importing.readers import open_file
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import Printer, shipped_printers
from deft_slab.core.printing.link import Link, PrinterTrouble
from deft_slab.core.progress import Job
from deft_slab.core.repair.mend import advised
from deft_slab.demo import MODELS
from deft_slab.standin.machine import Machine
from deft_slab.standin.server import Server

_LONGEST = 150.0
"""mm: open meshes come without a unit, and are made this long."""


@contextmanager
def stand_in(printer: Printer, folder: Path) -> Iterator[Link]:
    """A printer whose clock runs a million times as fast."""
    with Server(Machine(printer, folder, speed=1e6, loaded=1e5), "bench", folder) as server:
        thread = threading.Thread(target=server.serve_forever, daemon=True)
        thread.start()
        yield Link(server.url, "bench", patience=600.0)
        server.shutdown()


def whole(path: Path, printer: Printer, folder: Path) -> str:
    """One line about a model. folder : empty"""
    opened = open_file(path)
    model = opened.model
    evaluator = Evaluator(model)
    plan = Plan(model=model.ref, unit=model.unit or "mm", mending=advised(model.solid))
    longest = float(model.solid.size.max())
    if model.unit is None:
        plan = plan.changed(scale=_LONGEST / longest)
    start = time.perf_counter()
    outcome = evaluator.evaluate(plan, printer)
    laid, work = laid_with_job(outcome, printer)
    evaluated = time.perf_counter() - start
    spent = dict[str, float]()

    def sheet(job: Job) -> BenchSheet:
        before = time.perf_counter()
        subject = gathered(evaluator, outcome, printer, model.name, laid, work)
        between = time.perf_counter()
        made = sheet_of(subject)
        spent["check"], spent["sheet"] = between - before, time.perf_counter() - between
        return made

    whole_bed = all(piece.figures.closed and piece.fit.fits for piece in outcome.pieces)
    wished = Wished(layers=printer.kind == "resin" and whole_bed)
    start = time.perf_counter()
    handed = deliver(outcome.pieces, laid, printer, model.name, folder, wished, work, sheet=sheet)
    delivered = time.perf_counter() - start
    pages = len(pypdf.PdfReader(folder / "sheet.pdf").pages)
    said = []
    for one in [one for one in handed if one.bed is not None and one.path.name.endswith((".zip", "1.3mf", "2.3mf"))]:
        with stand_in(printer, folder / f"kept-{one.path.stem}") as link:
            try:
                status = link.send("bench", one.path.stem, one.path)
            except PrinterTrouble as error:
                said.append(f"{one.path.name} refused: {error}")
                continue
            link.order("bench", "start")
            while status.state in ("waiting", "printing"):
                time.sleep(0.05)
                status = link.status("bench")
            said.append(f"{one.path.name} {status.state} {status.layer}/{status.layers}")
    return (
        f"{path.stem[:28]:28} {printer.kind:9} {len(outcome.pieces):2} pieces  evaluated {evaluated:5.1f} s  "
        f"check {spent['check']:5.1f}  sheet {spent['sheet']:4.1f} s, {pages} pages  files {delivered:5.1f} s  "
        f"{'; '.join(said)}"
    )


def main(names: list[str]) -> int:
    """Exit code 1 where something went wrong."""
    printers = [shipped_printers()[name] for name in ("large-filament", "large-resin") if name in shipped_printers()]
    paths = list(MODELS.values()) if not names else []
    for name in names:
        if name == "open":
            examples = Path(pyvista.__file__).parent / "examples"
            paths += [one for one in sorted(examples.glob("*")) if one.suffix in (".ply", ".stl", ".obj")]
        else:
            paths.append(MODELS.get(name, Path(name)))
    failed = 0
    for path in paths:
        for printer in printers:
            with tempfile.TemporaryDirectory() as folder:
                try:
                    print(whole(path, printer, Path(folder) / "out"), flush=True)
                except Exception as error:  # noqa: BLE001 - one that fails is told of, and the others go on
                    failed += 1
                    print(f"{path.stem[:28]:28} {printer.kind:9} FAILED: {type(error).__name__}: {error}", flush=True)
    return int(failed > 0)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
