"""The notes on a plan, and the names of its pieces."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from types import MappingProxyType

import numpy as np

from ..arrays import Floats
from ..cuts import Cut
from ..document.marks import SHOW
from ..figures.marked_facets import facets_at
from ..geometry.curves import frame_of
from ..geometry.orientation import Tilt
from ..joins.reports import HollowReport, JoinReport
from ..locale.translate import sentence, tr
from ..parting.bodies import Part, Uncut
from ..plan.coupon import COUPON
from ..plan.model import MendReport, Model
from ..plan.piece_settings import PieceSettings
from ..plan.plan import Plan
from ..printers.profile import Printer
from ..results.notes import Note
from ..results.outcome import NOT_BARRED, CutReport, Piece, Seam

SMALLEST, LARGEST = 5.0, 2000.0
"""mm: a model outside of this is probably in another unit than it was taken for."""

_MOVED = 0.05
"""mm: joins that were moved by less are where they were wished."""
_AROUND_VENT = 1.15
"""Times its radius: where what lies around a vent is looked at."""
_LITTLE = 1e-3
"""Share of the model: a cut that takes off less may have missed what it was meant for."""
_TANGLED = 0.01
"""Share of the surface that runs through the model itself, over which that is worth knowing (an assumption)."""
_NEAR_THRESHOLD = 0.05
"""Share of the surface within 1 degree of the threshold, over which figures hang on it (an assumption)."""


def piece_names(
    plan: Plan, parting: list[Cut], uncut: Uncut, parts: list[Part], known: Mapping[int, str] = MappingProxyType({})
) -> list[str]:
    """Names that say where a piece lies on the standing model, followed by the model's last word: "Upper left
    lantern". A body that no cut divides keeps its own name.

    Parameters
    ----------
    parting : list[Cut]
        The cuts that divide something.
    known : Mapping[int, str]
        Names that are given already, by part number.
    """
    if not parting:
        return [known.get(number, uncut.groups[part.group].name) for number, part in enumerate(parts)]
    rotation = plan.tilt.rotation
    made_by = {cut.id: cut for cut in parting}
    of_group = Counter(part.group for number, part in enumerate(parts) if number not in known)
    names = []
    for number, part in enumerate(parts):
        if number in known or of_group[part.group] == 1:
            names.append(known.get(number, uncut.groups[part.group].name))
            continue
        said: list[str] = []
        for side in part.sides:
            word = made_by[side.cut].side_word(side.side, rotation) if side.cut in made_by else ""
            if word and word not in said:
                said.append(word)
        thing = uncut.groups[part.group].name.split()[-1].lower()
        names.append(sentence(tr("{sides} {thing}", sides=" ".join(said), thing=thing) if said else thing))
    repeated = {name for name in names if names.count(name) > 1}
    counts: dict[str, int] = {}
    for number, name in enumerate(names):
        if name in repeated:
            counts[name] = counts.get(name, 0) + 1
            names[number] = f"{name} {counts[name]}"
    return names


def about_cuts(plan: Plan, reports: dict[str, CutReport], seams: dict[str, Seam]) -> list[Note]:
    """Notes on the cuts that are on."""
    notes: list[Note] = []
    for cut in plan.recipe:
        report = reports.get(cut.id)
        if report is None:
            continue
        named: dict[str, object] = {"name": cut.name}
        if not report.parts:
            data = named | {"why": cut.why_not(), "pieces": report.after}
            notes.append(Note("cut.parts_nothing", data, "failed"))
        elif 0.0 < report.least < _LITTLE:
            notes.append(Note("cut.takes_little", named | {"share": report.least}))
        if cut.id in seams and seams[cut.id].barred >= NOT_BARRED:
            notes.append(Note("cut.barred", named | {"length_mm": seams[cut.id].barred}))
        if report.catches:
            notes.append(Note("cut.catches", named))
        notes += [thin.note(cut.name) for thin in report.thin[:2]]
        if report.crumbs:
            largest, place = max(report.crumbs)
            became = "keep" if cut.crumbs == "neighbour" and cut.kerf > 0 else cut.crumbs
            data = named | {"count": len(report.crumbs), "largest_mm": largest, "became": became}
            notes.append(Note("cut.crumbs", data, place=place))
    return notes


def about_joins(plan: Plan, reports: Mapping[str, JoinReport]) -> list[Note]:
    """Notes on the joins that are on."""
    notes = []
    for join in plan.joins:
        report = reports.get(join.id)
        if report is None:
            continue
        named: dict[str, object] = {"name": f"{sentence(join.word)} {join.id}"}
        if report.problem:
            notes.append(Note("join.not_made", named | {"problem": report.problem}, "failed", place=join.at))
        notes += [Note("join.warning", named | {"warning": warning}, place=join.at) for warning in report.warnings]
        if report.moved > _MOVED:
            notes.append(Note("join.moved", named | {"by_mm": report.moved}, place=join.at))
    return notes


def about_hollows(reports: Mapping[str, HollowReport]) -> list[Note]:
    """Notes on the hollows that are on."""
    notes = []
    for ident, report in reports.items():
        if report.problem:
            notes.append(Note("hollow.not_made", {"hollow": ident, "problem": report.problem}, "failed"))
            continue
        notes += [
            Note("hollow.vent_not_made", {"vent": vent.id, "hollow": ident, "problem": vent.problem}, "failed")
            for vent in report.vents if vent.problem
        ]
        if report.unvented:
            notes.append(Note("hollow.no_vent", {"voids": report.unvented}, piece=report.piece))
    return notes


def _about_shown_vents(plan: Plan, reports: Mapping[str, HollowReport], pieces: Sequence[Piece]) -> list[Note]:
    """Notes on vents that open on a show face.

    Parameters
    ----------
    reports, pieces : Mapping[str, HollowReport]
        The report on the plan.
    """
    notes = []
    for hollow in plan.hollows:
        report = reports.get(hollow.id)
        if report is None or report.piece is None or not (pieces[report.piece].marks & SHOW).any():
            continue
        piece, made = pieces[report.piece], {one.id for one in report.vents if one.reaches}
        for vent in hollow.vents:
            # what was at its place is gone: what is around it says where it is
            rim = np.array(vent.place) + _AROUND_VENT * vent.outer * _circle(np.array(vent.along))
            if vent.id in made and (piece.marks[facets_at(piece.solid, rim)] & SHOW).any():
                data = {"vent": vent.id, "hollow": hollow.id}
                notes.append(Note("hollow.vent_on_show_face", data, place=vent.place, piece=report.piece))
    return notes


def _circle(along: Floats) -> Floats:
    """Points of a unit circle about the origin, in the plane across a direction.

    Returns
    -------
    (16, 3) float64
    """
    turn = np.arange(16) * np.pi / 8
    return np.asarray(np.stack([np.cos(turn), np.sin(turn)], axis=1) @ frame_of(along)[:2])


def about_model(model: Model, plan: Plan, uncut: Uncut, report: MendReport) -> list[Note]:
    """Notes on the model before any cut."""
    notes = [Note("file.read", {"says": one}) for one in model.notes]
    problem = uncut.defects.sentence()
    if problem:
        notes.append(Note("model.open", {"problem": problem}))
    longest = max(float(group.solid.size.max()) for group in uncut.groups)
    if longest < SMALLEST:
        notes.append(Note("model.small", {"length_mm": longest}))
    elif longest > LARGEST:
        notes.append(Note("model.large", {"length_mm": longest}))
    if plan.stretch != (1.0, 1.0, 1.0):
        notes.append(Note("model.stretched"))
    if model.y_up and plan.tilt == Tilt():
        notes.append(Note("model.on_y"))
    notes += [
        Note("model.supports", {"body": body.name, "rods": body.rods})
        for body, role in zip(model.bodies, plan.roles or ("with the rest",) * len(model.bodies), strict=True)
        if body.rods and role != "left out"
    ]
    notes += [Note("model.joined", {"says": step.sentence()}) for step in report.steps if step.kind == "join"]
    if report.specks:
        notes.append(Note("model.specks", {"count": report.specks, "largest_mm": report.speck_size}))
    if report.loose > 1:
        notes.append(Note("model.loose", {"bodies": report.loose}))
    if report.tangled > _TANGLED:
        notes.append(Note("model.tangled", {"share": report.tangled}))
    return notes


def remarks(
    pieces: list[Piece], wishes: dict[int, PieceSettings], plan: Plan, printer: Printer,
    hollows: Mapping[str, HollowReport],
) -> list[Note]:
    """Notes on the pieces.

    Parameters
    ----------
    wishes : dict[int, PieceSettings]
        The settings of the pieces, by piece number.
    hollows : Mapping[str, HollowReport]
        The report on the hollows.
    """
    fit = [
        Note("fit.too_large", {"piece": piece.name, "over_mm": piece.fit.over}, "failed", piece=number)
        for number, piece in enumerate(pieces)
        if not piece.fit.fits
    ]
    return [
        *_about_shown_vents(plan, hollows, pieces), *fit, *_about_printers(pieces, plan, printer),
        *_about_support(pieces), *_about_lost_wishes(wishes, plan),
    ]


def _about_printers(pieces: list[Piece], plan: Plan, printer: Printer) -> list[Note]:
    """Notes on the printers and materials that pieces are meant for."""
    notes = []
    if any(piece.on(printer).slope for piece in pieces):
        notes.append(Note("printer.belt"))
    for number, piece in enumerate(pieces):
        wished = piece.wished.material if piece.wished is not None else ""
        own = piece.on(printer)
        if wished and wished != own.material:
            data = {"printer": own.name, "material": wished, "piece": piece.name}
            notes.append(Note("printer.no_material", data, piece=number))
    if any(piece.wished is not None and piece.wished.second for piece in pieces) and plan.second is None:
        notes.append(Note("printer.no_second"))
    if plan.coupon is not None and not any(one.extra == COUPON for one in pieces):
        notes.append(Note("printer.no_coupon"))
    return notes


def _about_support(pieces: list[Piece]) -> list[Note]:
    """Notes on the support that pieces need."""
    notes = []
    unheld = sum(piece.figures.unheld_area_mm2 for piece in pieces)
    if unheld >= 1.0:
        notes.append(Note("support.refused", {"area_mm2": unheld}))
    near = [piece.name for piece in pieces if piece.figures.near_threshold_share > _NEAR_THRESHOLD]
    if near:
        notes.append(Note("support.near_threshold", {"pieces": near}))
    return notes


def _about_lost_wishes(wishes: dict[int, PieceSettings], plan: Plan) -> list[Note]:
    """Notes on settings of pieces that no longer exist."""
    on = {cut.id for cut in plan.recipe if cut.on}
    lost = [wish for wish in plan.pieces if {s.cut for s in wish.sides} <= on and wish not in wishes.values()]
    return [Note("piece.lost", {"name": wish.name}, place=wish.anchor) for wish in lost]
