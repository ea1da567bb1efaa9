"""How long joins take: proposed, made, edited, dragged on the stand-in. ``./deft bench joins`` runs these alone."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

from report import loaded, say, summed_up

from deft_slab.core.cuts import BlockCut, StraightCut
from deft_slab.core.document.base import triple
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.geometry.simplify import thinned
from deft_slab.core.joins import KeyJoin
from deft_slab.core.mesh.solid import Solid
from deft_slab.core.plan.model import Model
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import default_printer
from deft_slab.core.progress import QUIET

T = TypeVar("T")

_TRIANGLES = 200_000


def _in_blocks(key: str) -> tuple[Model, Plan]:
    """A demo model of 200,000 triangles, or as many as it has, in eight parts with twelve contacts."""
    solid = thinned(loaded(key), _TRIANGLES, QUIET)
    x, y, z = (float(value) for value in solid.bounds.mean(axis=0))
    model = Model(key, Solid(solid.vertices, solid.triangles), 1e-6)
    level = StraightCut(id="c1", name="Level", normal=(0, 0, 1), offset=z)
    return model, Plan(model=model.ref, recipe=(level, BlockCut(id="c2", name="B", x=(x,), y=((y,),))))


def _timed(work: Callable[[], T]) -> tuple[float, T]:
    """(s, what it made)."""
    start = time.perf_counter()
    found = work()
    return time.perf_counter() - start, found


def joining(key: str = "lantern") -> None:
    """Proposals and booleans by the contact and the join, against what was asked for."""
    printer = default_printer()
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        model, plan = _in_blocks(key)
        evaluator = Evaluator(model, pool.map)
        evaluator.evaluate(plan, printer, detail="figures")
        found = evaluator.contacts(plan)
        took, joins = _timed(lambda: evaluator.proposed_joins(plan, printer))
        contacts = len(found)
        say(f"joins proposed for {contacts} contacts, {key}, {len(model.solid.triangles):,} triangles",
            f"{took:.2f} s, {10 * took / contacts:.2f} s for ten", "ten within 5 s", took <= contacts / 2)
        keys = [
            KeyJoin(id=f"k{n}", cut=contact.cut, between=contact.between, at=triple(contact.place), width=4, height=3)
            for n, contact in enumerate(found)
        ]
        keyed = plan.changed(joins=tuple(keys))
        evaluator.subject(plan, 0, printer=printer)
        took, _ = _timed(lambda: evaluator.subject(keyed, 0, printer=printer))
        say(f"{len(keys)} keys and sockets made, and a stand-in of a piece", f"{took:.2f} s",
            "twenty keys and sockets within 3 s", took <= 3 * len(keys) / 20)
        took, fit = _timed(lambda: evaluator.dry_fit(keyed, printer))
        say(f"dry fit, {len(fit.moves)} moves", f"{took:.2f} s", "within 5 s", took <= 5)
        joined = plan.changed(joins=tuple(joins))
        whole, _ = _timed(lambda: evaluator.evaluate(joined, printer, detail="figures"))
        first = next(join for join in joins if isinstance(join, KeyJoin))
        other = joined.with_join(first.model_copy(update={"height": 0.9 * first.height}))
        again, _ = _timed(lambda: evaluator.evaluate(other, printer, detail="figures"))
        say("an edit of one join against all of them", f"{again / whole:.2f} of {whole:.1f} s", "at most a third",
            again <= whole / 3)
        evaluator.ready(plan)
        evaluator.evaluate(other, printer, detail="quick")
        frames = 0
        start = time.perf_counter()
        while time.perf_counter() - start < 3.0:
            frames += 1
            moved = first.model_copy(update={"at": (first.at[0] + 0.01 * frames, *first.at[1:])})
            evaluator.evaluate(joined.with_join(moved), printer, detail="quick")
        rate = frames / (time.perf_counter() - start)
        say("figures while a key is dragged, on the stand-in", f"{rate:.1f} a second", "10 a second", rate >= 10)


def main(names: list[str]) -> int:
    for name in names or ["lantern", "gull"]:
        joining(name)
    return summed_up()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
