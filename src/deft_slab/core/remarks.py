"""What there is to tell of an outcome in words: names of the pieces, and what is worth knowing."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from .coupons import COUPON
from .cuts import Cut
from .groups import Part, Uncut
from .model import MendReport, Model
from .outcome import NOT_BARRED, CutReport, Piece, Seam
from .plan import Plan
from .printer import Printer
from .reports import HollowReport, JoinReport
from .tilt import Tilt
from .wishes import PieceWish

Floats = NDArray[np.float64]

SMALLEST, LARGEST = 5.0, 2000.0
"""mm: a model outside of this is probably in another unit than it was taken for."""

_MOVED = 0.05
"""mm: joins that were moved by less are where they were wished."""
_LITTLE = 1e-3
"""Share of the model: a cut that takes off less may have missed what it was meant for."""


def piece_names(
    plan: Plan, parting: list[Cut], uncut: Uncut, parts: list[Part], known: Mapping[int, str] = MappingProxyType({})
) -> list[str]:  # fmt: skip
    """Names by where a piece lies on the standing model, and its last word: "Upper left lantern".

    parting : the cuts that part something; known : names, by the number of the part
    """
    if not parting:
        return [known.get(number, uncut.groups[part.group].name) for number, part in enumerate(parts)]
    rotation = plan.tilt.rotation
    made_by = {cut.id: cut for cut in parting}
    names = []
    for number, part in enumerate(parts):
        if number in known:
            names.append(known[number])
            continue
        said: list[str] = []
        for side in part.sides:
            word = made_by[side.cut].side_word(side.side, rotation) if side.cut in made_by else ""
            if word and word not in said:
                said.append(word)
        names.append(" ".join([*said, uncut.groups[part.group].name.split()[-1].lower()]).capitalize())
    repeated = {name for name in names if names.count(name) > 1}
    counts: dict[str, int] = {}
    for number, name in enumerate(names):
        if name in repeated:
            counts[name] = counts.get(name, 0) + 1
            names[number] = f"{name} {counts[name]}"
    return names


def about_cuts(plan: Plan, reports: dict[str, CutReport], seams: dict[str, Seam]) -> list[str]:
    """What there is to say of the cuts that are on."""
    said = []
    for cut in plan.recipe:
        report = reports.get(cut.id)
        if report is None:
            continue
        still = f"still {report.after} piece{'s' if report.after > 1 else ''}"
        if not report.parts:
            said.append(f"“{cut.name}” {cut.why_not()}: {still}.")
        elif 0.0 < report.least < _LITTLE:
            said.append(f"“{cut.name}” takes off only {_share(report.least)} of the model.")
        if cut.id in seams and seams[cut.id].barred >= NOT_BARRED:
            said.append(f"“{cut.name}” crosses a place where no cut may run, by {seams[cut.id].barred:.0f} mm.")
        if report.catches:
            said.append(f"“{cut.name}”: what it takes off catches, and cannot be lifted off along one direction.")
        said += [f"“{cut.name}” {place.sentence()}." for place in report.thin[:2]]
        if report.crumbs:
            largest = max(size for size, _ in report.crumbs)
            many = f"{len(report.crumbs)} crumbs" if len(report.crumbs) > 1 else "a crumb"
            became = {"keep": "kept as pieces", "drop": "set aside", "neighbour": "given to the neighbour"}
            what = "kept as pieces" if cut.crumbs == "neighbour" and cut.kerf > 0 else became[cut.crumbs]
            said.append(f"“{cut.name}” leaves {many}, up to {largest:.1f} mm across; {what}.")
    return said


def about_joins(plan: Plan, reports: Mapping[str, JoinReport]) -> list[str]:
    """What there is to say of the joins that are on."""
    said = []
    for join in plan.joins:
        report = reports.get(join.id)
        if report is None:
            continue
        name = f"{join.word.capitalize()} {join.id}"
        if report.problem:
            said.append(f"{name} is not made. {report.problem}")
        said += [f"{name}: {warning}" for warning in report.warnings]
        if report.moved > _MOVED:
            said.append(f"{name} was moved by {report.moved:.1f} mm, to stay on its contact.")
    return said


def about_hollows(reports: Mapping[str, HollowReport]) -> list[str]:
    """What there is to say of the hollows that are on."""
    said = []
    for ident, report in reports.items():
        if report.problem:
            said.append(f"Hollow {ident} is not made. {report.problem}")
            continue
        said += [f"Vent {vent.id} of hollow {ident} is not made. {vent.problem}" for vent in report.vents
                 if vent.problem]  # fmt: skip
        if report.unvented:
            many = f"{report.unvented} voids have" if report.unvented > 1 else "A void has"
            said.append(f"{many} no vent: what is inside stays there.")
    return said


def _share(value: float) -> str:
    """In percent, with as many digits as it takes to be more than nothing."""
    return f"{100 * value:.2g} %" if value >= 1e-6 else "less than 0.0001 %"


def about_model(model: Model, plan: Plan, uncut: Uncut, report: MendReport) -> list[str]:
    """What there is to say of the model before any cut."""
    notes = list(model.notes)
    problem = uncut.defects.sentence()
    if problem:
        notes.append(problem)
    longest = max(float(group.solid.size.max()) for group in uncut.groups)
    if longest < SMALLEST:
        notes.append(f"The model is only {longest:.3g} mm long. Is the unit right?")
    elif longest > LARGEST:
        notes.append(f"The model is {longest / 1000:.3g} m long. Is the unit right?")
    if plan.stretch != (1.0, 1.0, 1.0):
        notes.append("The axes are stretched apart: what was round is no longer round.")
    if model.y_up and plan.tilt == Tilt():
        notes.append("It may be made to stand on Y. The Size step can stand it up.")
    notes += [step.sentence() for step in report.steps if step.kind == "join"]
    if report.specks:
        words = f"{report.specks:,} stray specks" if report.specks > 1 else "One stray speck"
        notes.append(f"{words}, up to {report.speck_size:.2g} mm across. The Size step can leave them out.")
    if report.tangled > 0.01:
        notes.append(
            f"About {100 * report.tangled:.0f} % of the surface runs through the model itself. Rewrapping it, in the "
            "Size step, makes one skin."
        )
    return notes


def remarks(pieces: list[Piece], wishes: dict[int, PieceWish], plan: Plan, printer: Printer) -> list[str]:
    """What is worth knowing of the pieces. wishes : of the plan, by the number of the piece that they are for"""
    said = []
    said += [
        f"{piece.name} does not fit the printer: {piece.fit.sentence()}." for piece in pieces if not piece.fit.fits
    ]
    if any(piece.on(printer).slope for piece in pieces):
        said.append("A belt prints in slanting layers. Hours are reckoned for these; overhang, support and layers that "
                    "are looked at are for level ones.")  # fmt: skip
    for piece in pieces:
        wished = piece.wished.material if piece.wished is not None else ""
        own = piece.on(printer)
        if wished and wished != own.material:
            said.append(f"{own.name} has no material “{wished}”; {piece.name} is reckoned in what it usually has.")
    if any(piece.wished is not None and piece.wished.second for piece in pieces) and plan.second is None:
        said.append("Pieces that were meant for a second printer are on the first: there is no second one.")
    if plan.coupon is not None and not any(one.extra == COUPON for one in pieces):
        said.append("There is no coupon for this join: it has no hole, or its measures make no body.")
    unheld = sum(piece.figures.unheld_area_mm2 for piece in pieces)
    if unheld >= 1.0:
        said.append(f"{unheld:.0f} mm² that need support are kept clear of it: they would hang in the air.")
    near = [piece for piece in pieces if piece.figures.near_threshold_share > 0.05]
    if near:
        names = ", ".join(piece.name for piece in near)
        said.append(
            f"{names}: more than 5 % of the surface lies within 1° of the threshold; small changes there change the "
            "figures much."
        )
    on = {cut.id for cut in plan.recipe if cut.on}
    lost = [wish for wish in plan.pieces if {s.cut for s in wish.sides} <= on and wish not in wishes.values()]
    for wish in lost:
        what = f"“{wish.name}”" if wish.name else "A piece that you seated"
        said.append(f"{what} no longer exists with these cuts; its seat and name are kept in case it comes back.")
    return said
