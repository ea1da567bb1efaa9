"""What is painted over the picture of the bed, as a value: cuts and their grips, seams, the room around guests, and
readings.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ...core.arrays import Floats
from ...core.cuts import Cut, StraightCut
from ...core.geometry.orientation import turned_box
from ...core.inspection.findings import Finding, Groove, Island, Jump, Neck, Pocket, ThinWall
from ...core.locale import text
from ...core.locale.translate import tr, tr_in
from ...core.results.outcome import Outcome
from ..cuts import on_desk
from ..cuts.reach import reach_outline
from ..desk_state import DeskState
from ..look import palette
from ..look.palette import rgb
from ..state.pointing import Reading
from .beds import Box
from .handles import CutFrame, cut_frame
from .scene import Scene
from .subject import SceneSubject, rooms_of
from .turning_pole import Pole

_MOST_DOTS = 4000
_MOST_FLAGS = 6
"""Of one kind, of one cut: all of them are listed beside."""


@dataclass(frozen=True, eq=False)
class InkLine:
    """Segments (k, 2, 3) in mm of the bed frame, in one colour (3,) or in one each (k, 3).

    Attributes
    ----------
    width : float, pixels
        The width of the lines, in pixels.
    through : bool
        Whether they are also visible through what stands before them.
    """

    segments: Floats
    colours: Floats
    width: float
    through: bool = False


@dataclass(frozen=True, eq=False)
class Flag:
    """Words beside a place (3,) in mm of the bed frame.

    Attributes
    ----------
    always : bool
        Whether it is also shown where it overlaps another flag.
    """

    place: Floats
    words: str
    colour: str
    always: bool = True


@dataclass(eq=False)
class Ink:
    """Everything that is painted over a scene.

    Attributes
    ----------
    dots : list[tuple[Floats, str]]
        Points (k, 3) and their colour.
    grips : dict[str, Floats]
        What can be dragged of a cut that is not flat.
    points : dict[str, Floats]
        The points of the line that is being drawn.
    frame : CutFrame | None
        The sheet of a flat cut.
    dimensions : Box | None
        The box whose size is shown.
    reading : (what was read, its points in the bed frame)
        What was measured, with its points in the bed frame.
    """

    strokes: list[InkLine] = field(default_factory=list)
    flags: list[Flag] = field(default_factory=list)
    dots: list[tuple[Floats, str]] = field(default_factory=list)
    grips: dict[str, Floats] = field(default_factory=dict)
    points: dict[str, Floats] = field(default_factory=dict)
    frame: CutFrame | None = None
    dimensions: Box | None = None
    reading: tuple[Reading, Floats] | None = None


def ink_of(state: DeskState, showing: SceneSubject, scene: Scene) -> Ink:
    """What is painted over a scene of the desk."""
    ink = Ink(frame=frame_of_cut(state, scene), grips=grips(state, scene))
    if showing.evaluated is None:
        return ink
    ink.strokes.extend([*_seams(state, scene), *_contact(state, showing.outcome, scene)])
    way = state.ways.pointed
    if way is not None and scene.standing and state.step == "Cut":
        ink.strokes.append(InkLine(_on_model(scene, way.seams), rgb(palette.TEAL), 2.4, through=True))
    _add_cut(ink, state, scene)
    _add_numbers(ink, state, scene)
    _add_troubles(ink, state, scene, showing.outcome)
    _add_found(ink, state, scene)
    _add_vents(ink, state, scene)
    post = state.posting.post if state.step == "Check" and not scene.standing else None
    if post is not None and state.selected_piece < len(scene.placed):
        at = scene.placed[state.selected_piece].pose.of(np.array(post.at))
        ink.flags.append(Flag(at, tr("post {id}", id=post.id[1:]), palette.MADDER))
    if showing.sizing:
        boxes = [one.box for one in scene.placed]
        ink.dimensions = np.min([low for low, _ in boxes], axis=0), np.max([high for _, high in boxes], axis=0)
        _add_rooms(ink, showing, scene)
        places = showing.view.mend_places
        if places is not None and len(places):
            ink.strokes.append(InkLine(_on_model(scene, places), rgb(palette.AMBER), 3.0, through=True))
    reading = state.pointing.reading
    if reading is not None and (showing.sizing or scene.standing):
        ink.reading = reading, scene.model.of(reading.points)
    return ink


# a cut, and what can be dragged of it


def _shows(state: DeskState, scene: Scene, cut: Cut) -> bool:
    return cut.on and state.step == "Cut" and scene.standing and bool(scene.placed)


def frame_of_cut(state: DeskState, scene: Scene) -> CutFrame | None:
    """The selected cut as it is drawn; None where its handles are not shown."""
    cut = state.cut
    if not isinstance(cut, StraightCut) or not _shows(state, scene, cut):
        return None
    normal = scene.model.rotation @ np.array(cut.normal)
    return cut_frame(normal, cut.offset + float(normal @ scene.model.shift), *scene.model_box)


def grips(state: DeskState, scene: Scene) -> dict[str, Floats]:
    """The places, in the bed frame, of what can be dragged of the selected cut if it is not flat."""
    cut = state.cut
    if cut is None or not _shows(state, scene, cut):
        return {}
    seam = state.evaluated.outcome.seams.get(cut.id) if state.evaluated is not None else None
    where = seam.segments if seam is not None else np.empty((0, 2, 3))
    return {name: scene.model.of(place) for name, place in on_desk(cut).grips(cut, model_box(scene), where).items()}


def model_box(scene: Scene) -> Box:
    """The low and the high corner of the standing model's box, in the model frame."""
    low, high = scene.model_box
    return turned_box(low - scene.model.shift, high - scene.model.shift, scene.model.rotation.T)


def _on_model(scene: Scene, segments: Floats) -> Floats:
    """Segments (k, 2, 3) of the model frame, in the bed frame."""
    return scene.model.of(segments.reshape(-1, 3)).reshape(-1, 2, 3)


def _add_cut(ink: Ink, state: DeskState, scene: Scene) -> None:
    """Add the outline of a selected cut that is not flat, where the cut stops, and the line that is being drawn."""
    cut = state.cut
    if cut is not None and _shows(state, scene, cut):
        outline = on_desk(cut).outline(cut, model_box(scene))
        for segments, colour in ((outline, palette.MADDER), (reach_outline(cut), palette.AMBER)):
            if len(segments):
                ink.strokes.append(InkLine(_on_model(scene, segments), rgb(colour), 1.4, through=True))
    if not scene.standing:
        return
    if state.pointing.kind == "cut line" and len(state.snapping.creases):
        ink.strokes.append(InkLine(_on_model(scene, state.snapping.creases), rgb(palette.TEAL), 1.6))
    points = scene.model.of(state.placing.line)
    if len(points) > 1:
        ends = np.stack([points[:-1], points[1:]], axis=1)
        ink.strokes.append(InkLine(ends, rgb(palette.MADDER), 2.0, through=True))
    ink.points.update({f"point {n}": point for n, point in enumerate(points)})


def _seams(state: DeskState, scene: Scene) -> list[InkLine]:
    """The seams, coloured from grey where hidden to madder where visible. While a draft mesh is dragged, all are
    madder.
    """
    dragged = state.draft is not None
    shown = state.live if dragged else state.evaluated
    if state.step not in ("Cut", "Check") or shown is None or not scene.standing:
        return []
    found = []
    for seam in shown.outcome.seams.values():
        seen = np.ones((len(seam.segments), 1)) if dragged else seam.exposed[:, None]
        colours = (1 - seen) * rgb(palette.HIDDEN_SEAM) + seen * rgb(palette.MADDER)
        found.append(InkLine(_on_model(scene, seam.segments), colours, 3.0, through=dragged))
    return found


def _contact(state: DeskState, outcome: Outcome, scene: Scene) -> list[InkLine]:
    """The edge of the selected contact, on both pieces as they are drawn."""
    contacts, number = outcome.contacts, state.joining.contact
    # pieces that have just been made are told of before they are drawn
    if state.step != "Join" or not scene.standing or number >= len(contacts) or len(scene.placed) < len(outcome.pieces):
        return []
    found = []
    for piece in contacts[number].pieces:
        one = scene.placed[piece]
        for ring in contacts[number].outline if one.drawn else ():
            corners = one.pose.of(ring)
            found.append(InkLine(np.stack([corners[:-1], corners[1:]], axis=1), rgb(palette.MADDER), 2.6))
    return found


def _add_numbers(ink: Ink, state: DeskState, scene: Scene) -> None:
    """Add the number of each piece at its highest point, while the pieces are pulled apart."""
    if not scene.standing or len(scene.placed) < 2 or state.step not in ("Cut", "Join"):
        return
    for number, one in enumerate(scene.placed):
        if one.drawn:
            chosen = number == state.selected_piece
            colour_of = palette.MADDER if chosen else palette.INK
            ink.flags.append(Flag(one.farthest(2), str(one.piece.number), colour_of, always=chosen))


_THIN = {
    "skin": tr_in("left by a cut", "skin"), "sliver": tr_in("left by a cut", "sliver"),
    "step": tr_in("left by a cut", "step"),
}
"""What a thin place is called, by its kind."""


def _add_troubles(ink: Ink, state: DeskState, scene: Scene, outcome: Outcome) -> None:
    """Add the places where the cuts leave crumbs, too little material or a bridge."""
    if state.step != "Cut" or not scene.standing or state.draft is not None:
        return
    for report in outcome.cuts.values():
        flags: list[tuple[Any, str]] = [
            (place, tr("crumb, {size}", size=text.length(size, 1))) for size, place in report.crumbs[:_MOST_FLAGS]
        ]
        flags += [
            (one.place, tr("{kind}, {least}", kind=_THIN[one.kind], least=text.length(one.least, 2)))
            for one in report.thin[:_MOST_FLAGS]
        ]
        if report.bridges:
            ink.dots.append((scene.model.of(np.array([one.place for one in report.bridges])), palette.AMBER))
            flags.append((report.middle_of_bridge.place, tr("a bridge is left here")))
        ink.flags.extend(
            Flag(scene.model.of(np.array(place)), words, palette.AMBER, always=False) for place, words in flags
        )


def _add_found(ink: Ink, state: DeskState, scene: Scene) -> None:
    """Add what the check found: dots where unsupported islands begin, and words where the view flew to."""
    if state.step != "Check" or scene.standing:
        return
    checking = state.checking
    low, high = scene.hidden
    dots = []
    for found in checking.found:
        if found.number >= len(scene.placed) or not scene.placed[found.number].drawn:
            continue
        pose = scene.placed[found.number].pose
        dots += [pose.of(np.array(one.place)) for one in found.unheld if low - 0.5 <= one.z <= high]
        if checking.flown in found.found:
            one = checking.flown
            ink.flags.append(Flag(pose.of(np.array(one.place)), found_words(one), palette.MADDER))
    if dots:
        ink.dots.append((np.array(dots), palette.MADDER))


def _add_vents(ink: Ink, state: DeskState, scene: Scene) -> None:
    """Add the number of each vent of the selected piece, and whether the vent misses its void."""
    hollow = state.hollowing.hollow if state.step == "Check" and not scene.standing else None
    if hollow is None or state.selected_piece >= len(scene.placed):
        return
    pose = scene.placed[state.selected_piece].pose
    low, high = scene.hidden
    for number, vent in enumerate(hollow.vents, 1):
        at = pose.of(np.array(vent.place))
        if not low - 1.0 <= at[2] <= high + 1.0:
            continue
        report = state.hollowing.report_of(vent)
        missed = report is not None and bool(report.problem)
        chosen = vent.id == state.hollowing.vent
        colour = palette.AMBER if missed else palette.MADDER if chosen else palette.INK
        words = (
            tr("vent {number}, misses", number=number)
            if missed
            else tr("vent {number}", number=number)
            if chosen
            else str(number)
        )
        ink.flags.append(Flag(at, words, colour))


def found_words(found: Finding) -> str:
    """A few words about a finding, for a flag."""
    match found:
        case Island():
            return tr("island, {area}", area=text.small_area(found.area))
        case Pocket():
            area = text.area(found.area)
            return tr("void, {area}", area=area) if found.trapped else tr("cup, {area}", area=area)
        case Jump():
            return tr("jump, {area} more", area=text.area(found.growth))
        case Neck():
            return tr("neck, {area}", area=text.small_area(found.area))
        case Groove():
            return tr("groove, {length} of seam", length=text.mm(found.length))
        case ThinWall():
            return tr("{least} thin", least=text.length(found.least, 2))
    return found.word


def _add_rooms(ink: Ink, showing: SceneSubject, scene: Scene) -> None:
    """Add where guests poke through, and how much air is around them."""
    for room in rooms_of(showing).values():
        if len(room.poking):
            shown = room.poking[:: max(1, len(room.poking) // _MOST_DOTS)]
            ink.dots.append((scene.model.of(shown), palette.MADDER))
        if room.clearance is not None:
            fine = room.clearance >= 0
            words = (
                tr("{clearance} of room", clearance=text.length(room.clearance, 1))
                if fine
                else tr("{depth} inside", depth=text.length(-room.clearance, 1))
            )
            ink.flags.append(Flag(scene.model.of(room.at), words, palette.TEAL if fine else palette.MADDER))


def pole_of(state: DeskState, scene: Scene) -> Pole | None:
    """The pole that leans and turns the selected piece when it is pulled; None while the piece cannot be turned that
    way.
    """
    if state.pointing.kind != "turn" or not scene.placed or state.view.in_place:
        return None
    low, high = scene.placed[min(state.selected_piece, len(scene.placed) - 1)].box
    size = high - low
    # the knob is on its top, so that it is in view whenever the piece is
    return Pole((low + high) / 2, 0.5 * float(size[2]), 0.55 * float(max(size[0], size[1])))
