"""What there is to tell of an outcome in words: names of the pieces, and what is worth knowing."""

from __future__ import annotations

import numpy as np

from .groups import Base, Part
from .outcome import MendReport, Model, Piece
from .plan import PieceWish, Plan, Tilt

SMALLEST, LARGEST = 5.0, 2000.0
"""mm: a model outside of this is probably in another unit than it was taken for."""

_SIDE_WORDS = (("right", "left"), ("back", "front"), ("upper", "lower"))


def piece_names(plan: Plan, base: Base, parts: list[Part]) -> list[str]:
    """Names by where a piece lies on the standing model, and its last word: "Upper left lantern"."""
    on = [cut for cut in plan.recipe if cut.on]
    if not on:
        return [base.groups[part.group].name for part in parts]
    rotation = plan.tilt.rotation
    axis = {}
    for cut in on:
        normal = rotation @ np.array(cut.normal)
        largest = int(np.argmax(np.abs(normal)))
        axis[cut.id] = (largest, 1 if normal[largest] > 0 else -1)
    names = []
    for part in parts:
        said: list[str] = []
        for side in part.sides:
            largest, sign = axis[side.cut]
            word = _SIDE_WORDS[largest][0 if side.side * sign > 0 else 1]
            if word not in said:
                said.append(word)
        names.append(" ".join([*said, base.groups[part.group].name.split()[-1].lower()]).capitalize())
    repeated = {name for name in names if names.count(name) > 1}
    counts: dict[str, int] = {}
    for number, name in enumerate(names):
        if name in repeated:
            counts[name] = counts.get(name, 0) + 1
            names[number] = f"{name} {counts[name]}"
    return names


def about_model(model: Model, plan: Plan, base: Base, report: MendReport) -> list[str]:
    """What there is to say of the model before any cut."""
    notes = list(model.notes)
    problem = base.defects.sentence()
    if problem:
        notes.append(problem)
    longest = max(float(group.solid.size.max()) for group in base.groups)
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


def remarks(pieces: list[Piece], wishes: dict[int, PieceWish], plan: Plan) -> list[str]:
    """What is worth knowing of the pieces. wishes : of the plan, by the number of the piece that they are for"""
    said = []
    crumbs = [piece for piece in pieces if piece.crumb]
    if crumbs:
        worst = max(max(piece.solid.size) for piece in crumbs)
        said.append(f"{len(crumbs)} of the pieces are crumbs (up to {worst:.1f} mm across).")
    said += [
        f"{piece.name} does not fit the printer: {piece.fit.sentence()}." for piece in pieces if not piece.fit.fits
    ]
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
