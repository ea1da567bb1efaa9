"""What there is to tell of an outcome in words: names of the pieces, and what is worth knowing."""

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
from ..locale import text
from ..locale.translate import sentence, tr, tr_many
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


def piece_names(
    plan: Plan, parting: list[Cut], uncut: Uncut, parts: list[Part], known: Mapping[int, str] = MappingProxyType({})
) -> list[str]:
    """Names by where a piece lies on the standing model, and its last word: "Upper left lantern"; of a body that no cut
    parts, its own.

    parting : the cuts that part something; known : names, by the number of the part
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
    """What there is to say of the cuts that are on."""
    said: list[str] = []
    for cut in plan.recipe:
        report = reports.get(cut.id)
        if report is None:
            continue
        still = tr_many("still {n} piece", "still {n} pieces", report.after)
        if not report.parts:
            said.append(tr("“{name}” {why}: {still}.", name=cut.name, why=cut.why_not(), still=still))
        elif 0.0 < report.least < _LITTLE:
            said.append(tr("“{name}” takes off only {share} of the model.", name=cut.name, share=_share(report.least)))
        if cut.id in seams and seams[cut.id].barred >= NOT_BARRED:
            said.append(
                tr(
                    "“{name}” crosses a place where no cut may run, by {barred}.",
                    name=cut.name,
                    barred=text.length(seams[cut.id].barred, 0),
                )
            )
        if report.catches:
            said.append(
                tr("“{name}”: what it takes off catches, and cannot be lifted off along one direction.", name=cut.name)
            )
        said += [tr("“{name}” {what}.", name=cut.name, what=place.sentence()) for place in report.thin[:2]]
        if report.crumbs:
            largest = max(size for size, _ in report.crumbs)
            many = tr_many("a crumb", "{n} crumbs", len(report.crumbs))
            became = {"keep": tr("kept as pieces"), "drop": tr("set aside"), "neighbour": tr("given to the neighbour")}
            what = tr("kept as pieces") if cut.crumbs == "neighbour" and cut.kerf > 0 else became[cut.crumbs]
            said.append(
                tr(
                    "“{name}” leaves {many}, up to {largest} across; {what}.",
                    name=cut.name,
                    many=many,
                    largest=text.length(largest, 1),
                    what=what,
                )
            )
    return [Note(one, "cut") for one in said]


def about_joins(plan: Plan, reports: Mapping[str, JoinReport]) -> list[Note]:
    """What there is to say of the joins that are on."""
    said = []
    for join in plan.joins:
        report = reports.get(join.id)
        if report is None:
            continue
        name = f"{sentence(join.word)} {join.id}"
        if report.problem:
            said.append(tr("{name} is not made. {problem}", name=name, problem=report.problem))
        said += [f"{name}: {warning}" for warning in report.warnings]
        if report.moved > _MOVED:
            said.append(
                tr(
                    "{name} was moved by {moved}, to stay on its contact.",
                    name=name,
                    moved=text.length(report.moved, 1),
                )
            )
    return [Note(one, "join") for one in said]


def about_hollows(reports: Mapping[str, HollowReport]) -> list[Note]:
    """What there is to say of the hollows that are on."""
    said = []
    for ident, report in reports.items():
        if report.problem:
            said.append(tr("Hollow {ident} is not made. {problem}", ident=ident, problem=report.problem))
            continue
        said += [tr("Vent {id} of hollow {ident} is not made. {problem}", id=vent.id, ident=ident,
                    problem=vent.problem) for vent in report.vents
                 if vent.problem]
        if report.unvented:
            said.append(tr_many("A void has no vent: what is inside stays there.",
                                "{n} voids have no vent: what is inside stays there.", report.unvented))
    return [Note(one, "hollow") for one in said]


def _about_shown_vents(plan: Plan, reports: Mapping[str, HollowReport], pieces: Sequence[Piece]) -> list[Note]:
    """What there is to say of vents that open on a show face. reports, pieces : what became of the plan"""
    said = []
    for hollow in plan.hollows:
        report = reports.get(hollow.id)
        if report is None or report.piece is None or not (pieces[report.piece].marks & SHOW).any():
            continue
        piece, made = pieces[report.piece], {one.id for one in report.vents if one.reaches}
        for vent in hollow.vents:
            # what was at its place is gone: what is around it says where it is
            rim = np.array(vent.place) + _AROUND_VENT * vent.outer * _circle(np.array(vent.along))
            if vent.id in made and (piece.marks[facets_at(piece.solid, rim)] & SHOW).any():
                said.append(tr("Vent {id} of hollow {ident} opens on a show face.", id=vent.id, ident=hollow.id))
    return [Note(one, "hollow") for one in said]


def _circle(along: Floats) -> Floats:
    """(16, 3): points of a unit circle about the origin, in the plane across a direction (3,)."""
    turn = np.arange(16) * np.pi / 8
    return np.asarray(np.stack([np.cos(turn), np.sin(turn)], axis=1) @ frame_of(along)[:2])


def _share(value: float) -> str:
    """In percent, with as many digits as it takes to be more than nothing."""
    return f"{100 * value:.2g} %" if value >= 1e-6 else tr("less than 0.0001 %")


def about_model(model: Model, plan: Plan, uncut: Uncut, report: MendReport) -> list[Note]:
    """What there is to say of the model before any cut."""
    notes, file = list[str](), [Note(one, "file") for one in model.notes]
    problem = uncut.defects.sentence()
    if problem:
        notes.append(problem)
    longest = max(float(group.solid.size.max()) for group in uncut.groups)
    if longest < SMALLEST:
        notes.append(tr("The model is only {length} long. Is the unit right?", length=text.near(longest)))
    elif longest > LARGEST:
        notes.append(tr("The model is {longest:.3g} m long. Is the unit right?", longest=longest / 1000))
    if plan.stretch != (1.0, 1.0, 1.0):
        notes.append(tr("The axes are stretched apart: what was round is no longer round."))
    if model.y_up and plan.tilt == Tilt():
        notes.append(tr("It may be made to stand on Y. The Size step can stand it up."))
    notes += [
        tr("“{body}” has {rods} slender rods that end on one plane, as supports do that a file came with. The Size "
           "step can leave it out.", body=body.name, rods=body.rods)
        for body, role in zip(model.bodies, plan.roles or ("with the rest",) * len(model.bodies), strict=True)
        if body.rods and role != "left out"
    ]
    notes += [step.sentence() for step in report.steps if step.kind == "join"]
    if report.specks:
        notes.append(tr_many(
            "One stray speck, {size} across. The Size step can leave it out.",
            "{n:,} stray specks, up to {size} across. The Size step can leave them out.", report.specks,
            size=text.near(report.speck_size, 2),
        ))
    if report.loose > 1:
        notes.append(tr("It falls in {count} bodies that do not touch. They are seated as one, and a cut makes a piece "
                        "of each. The Size step can take bodies on their own; so does the cut Bodies.",
                        count=report.loose))
    if report.tangled > 0.01:
        notes.append(
            tr(
                "About {tangled:.0f} % of the surface runs through the model itself. Rewrapping it, in the Size "
                "step, makes one skin.",
                tangled=100 * report.tangled,
            )
        )
    return [*file, *(Note(one, "surface") for one in notes)]


def remarks(
    pieces: list[Piece], wishes: dict[int, PieceSettings], plan: Plan, printer: Printer,
    hollows: Mapping[str, HollowReport],
) -> list[Note]:
    """What is worth knowing of the pieces. wishes : of the plan, by the number of the piece that they are for
    hollows : what became of them"""
    fit = [
        Note(tr("{name} does not fit the printer: {sentence}.", name=piece.name, sentence=piece.fit.sentence()), "fit")
        for piece in pieces
        if not piece.fit.fits
    ]
    return [
        *_about_shown_vents(plan, hollows, pieces), *fit, *_about_printers(pieces, plan, printer),
        *_about_support(pieces), *_about_lost_wishes(wishes, plan),
    ]


def _about_printers(pieces: list[Piece], plan: Plan, printer: Printer) -> list[Note]:
    """What there is to say of the printers and materials that pieces are meant for."""
    said = []
    if any(piece.on(printer).slope for piece in pieces):
        said.append(
            tr(
                "A belt prints in slanting layers. Hours are reckoned for these; overhang, support "
                "and layers that are looked at are for level ones."
            )
        )
    for piece in pieces:
        wished = piece.wished.material if piece.wished is not None else ""
        own = piece.on(printer)
        if wished and wished != own.material:
            said.append(
                tr(
                    "{name} has no material “{wished}”; {name2} is reckoned in what it usually has.",
                    name=own.name,
                    wished=wished,
                    name2=piece.name,
                )
            )
    if any(piece.wished is not None and piece.wished.second for piece in pieces) and plan.second is None:
        said.append(tr("Pieces that were meant for a second printer are on the first: there is no second one."))
    if plan.coupon is not None and not any(one.extra == COUPON for one in pieces):
        said.append(tr("There is no coupon for this join: it has no hole, or its measures make no body."))
    return [Note(one, "printer") for one in said]


def _about_support(pieces: list[Piece]) -> list[Note]:
    """What there is to say of the support that pieces need."""
    said = []
    unheld = sum(piece.figures.unheld_area_mm2 for piece in pieces)
    if unheld >= 1.0:
        said.append(
            tr("{unheld:.0f} mm² that need support are kept clear of it: they would hang in the air.", unheld=unheld)
        )
    near = [piece for piece in pieces if piece.figures.near_threshold_share > 0.05]
    if near:
        names = ", ".join(piece.name for piece in near)
        said.append(
            tr(
                "{names}: more than 5 % of the surface lies within 1° of the threshold; small changes there change "
                "the figures much.",
                names=names,
            )
        )
    return [Note(one, "support") for one in said]


def _about_lost_wishes(wishes: dict[int, PieceSettings], plan: Plan) -> list[Note]:
    """What there is to say of wishes for pieces that are not there any more."""
    said = []
    on = {cut.id for cut in plan.recipe if cut.on}
    lost = [wish for wish in plan.pieces if {s.cut for s in wish.sides} <= on and wish not in wishes.values()]
    for wish in lost:
        what = text.quoted(wish.name) if wish.name else tr("A piece that you seated")
        said.append(
            tr("{what} no longer exists with these cuts; its seat and name are kept in case it comes back.", what=what)
        )
    return [Note(one, "piece") for one in said]
