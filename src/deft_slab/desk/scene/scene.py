"""What is drawn of a plan, as a value. ``scene_of`` builds it; whoever draws it draws only the difference from the
previous one.

Plain data without Qt or VTK. The main view, the twin view and the small pictures of the ledger are made from it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ...core.arrays import Bytes, Floats, Floats32
from ...core.exporting.colours import PIECES
from ...core.figures.ray_pick import first_hit
from ...core.mesh.solid import Solid, spread_points
from ...core.plan.model import Model
from ...core.plan.plan import Plan
from ...core.printers.profile import Printer
from ...core.results.exploded_view import longest_side, pulled_apart
from ...core.results.outcome import Piece
from ..look import palette
from ..look.palette import colour, ramp_colours, rgb
from .beds import Box, Said, beds, too_large
from .derived import Made, Making
from .drawables import Lines, Mesh, Pose, Thing
from .subject import SceneSubject

MARKS = (1, 2, 4, 8, 16)
"""The bits of the marks; see ``judge.marks.Marked.bits``."""
_BEFORE = 0.05
"""mm that a marking of facets lies before them."""
_MOST_MARKS = 9000
_EVERY = 2.8
"""mm between the points of a mark, about; farther where there are many."""


@dataclass(frozen=True, eq=False)
class Placed:
    """A piece as it is drawn.

    Attributes
    ----------
    box : (low, high), mm, bed frame
        Its low and high corner, in mm of the bed frame.
    drawn : bool
        Whether it is not hidden.
    """

    piece: Piece
    pose: Pose
    box: Box
    drawn: bool

    def farthest(self, axis: int) -> Floats:
        """The corner of the piece that lies farthest along an axis of the bed, (3,) mm of the bed frame."""
        vertices = self.piece.solid.vertices
        return self.pose.of(vertices[np.argmax(vertices @ self.pose.rotation[axis])])


@dataclass(frozen=True, eq=False)
class Scene:
    """Everything that is drawn.

    Attributes
    ----------
    things : dict[str, Thing]
        What is drawn, by name.
    placed : tuple[Placed, ...]
        The pieces.
    box : Box
        The box of everything that is drawn.
    model : Pose
        The pose of the standing model.
    hidden : mm
        Pieces are drawn only between these two heights, in mm.
    numbers : tuple[Said, ...]
        Words on the beds.
    over : tuple[Said, ...]
        Where pieces exceed the printer's room.
    marks : (k, 3)
        Points (k, 3) of each kind of mark.
    open_edges : (k, 2, 3) float64, mm, bed frame
        Segments in the bed frame; None where the surface is closed or cut.
    arrangement : tuple[object, ...]
        Changes when the pieces move as a whole, so that the view frames them again.
    made_of : Made
        The inputs of derived data, so that the next scene can keep what is unchanged.
    """

    things: dict[str, Thing]
    placed: tuple[Placed, ...]
    box: Box
    model: Pose
    model_box: Box
    standing: bool
    hidden: tuple[float, float]
    numbers: tuple[Said, ...]
    over: tuple[Said, ...]
    marks: dict[int, Floats]
    open_edges: Floats
    arrangement: tuple[object, ...]
    made_of: Made

    def hit(
        self, origin: Floats, towards: Floats, *, assembled: bool = False
    ) -> tuple[int, int, Floats] | None:
        """The first piece, facet and place (mm, model frame) that a ray of the bed frame meets.

        Parameters
        ----------
        assembled : bool
            Whether all pieces count as being in their place on the model, where seams are drawn.
        """
        best: tuple[float, int, int, Floats] | None = None
        for number, one in enumerate(self.placed):
            if not one.drawn:
                continue
            solid, pose = one.piece.solid, self.model if assembled else one.pose
            start, way = pose.back(origin), pose.rotation.T @ towards
            found = first_hit(solid.vertices, solid.triangles, start, way)
            if found is not None and (best is None or found[1] < best[0]):
                best = (found[1], number, found[0], start + found[1] * way)
        return best[1:] if best else None

    def marking(self, number: int, facets: NDArray[np.generic], off: Floats) -> Mesh:
        """A mesh that marks some facets of a piece.

        Parameters
        ----------
        off : (3,) float64
            Unit vector of the model frame along which the marking is drawn in front of the facets.
        """
        one = self.placed[number]
        solid, pose = one.piece.solid, one.pose
        before = Pose(pose.rotation, pose.of(_BEFORE * off))
        return Mesh(solid.vertices, solid.triangles[facets], colour(palette.MADDER), before, opacity=0.75)


_FITTED = 0.5
"""Share of the largest piece by which a piece is away from its place before it is put there."""


def scene_of(showing: SceneSubject, before: Scene | None = None) -> Scene:
    """Build the scene of a subject.

    Parameters
    ----------
    before : Scene | None
        The previous scene, from which unchanged parts are kept.
    """
    making = Making(before.made_of if before is not None else {})
    things: dict[str, Thing] = {}
    printer, bed = showing.printer, (showing.printer.bed_x, showing.printer.bed_y)
    model, model_box = Pose(), (np.zeros(3), np.array([*bed, 0.5 * printer.height]))
    box = model_box
    placed: list[Placed] = []
    if showing.evaluated is None and showing.model is not None and showing.plan is not None:
        things["as read"], model_box = _as_read(showing, making)
        box = model_box
    if showing.evaluated is not None:
        model, model_box, placed = _placed(showing, making)
        boxes = [one.box for one in placed]
        for number, one in enumerate(placed):
            things |= _piece(showing, number, one, making)
        if showing.sizing:
            drawn, others = _at_size(showing, model, making)
        else:
            drawn, others = _copies(showing, making)
        things |= drawn
        box = _around([*boxes, *others])
        if showing.sizing:  # room for the lines that say how big it is
            low, high = box
            box = (low - 0.06 * float(np.linalg.norm(high - low)) * np.array([1, 1, 0]), high)
        if len(placed) > 1 and not showing.standing and 0 <= showing.selected < len(placed):
            things["piece frame"] = _frame(placed[showing.selected].box)
    evaluated = showing.evaluated if not showing.standing else None
    laid = evaluated.laid if evaluated else ()
    sheets = {place.bed_x: evaluated.printer_of(place.bed) for place in laid} if evaluated else {}
    ruled = beds(sorted(({0.0: printer} | sheets).items()), (float(box[1][0]), float(box[1][1])))
    things |= ruled.things
    fitted = [] if showing.view.in_place else placed
    on = [(laid[n].bed_x, sheets[laid[n].bed_x]) if n < len(laid) else (0.0, printer) for n in range(len(fitted))]
    room, over = too_large(on, [one.piece for one in fitted], [one.farthest for one in fitted])
    if room is not None:
        things["room"] = room
    layered = showing.step in ("Tilt", "Check") and not showing.view.in_place
    hidden = (showing.view.hidden_below, showing.view.hidden_above) if layered else (0.0, math.inf)
    things |= _posts(showing, placed)
    if layered and showing.step == "Check":
        things |= _faces(showing, placed)
    return Scene(
        things, tuple(placed), box, model, model_box, showing.standing, hidden,
        # where its lengths are shown, other numbers would only be in their way
        () if showing.sizing else ruled.numbers, over,
        {} if showing.sizing else _marks(placed, making), _open_edges(showing, placed), _arrangement(showing),
        making.made,
    )


def _around(boxes: Sequence[Box]) -> Box:
    return np.min([low for low, _ in boxes], axis=0), np.max([high for _, high in boxes], axis=0)


def _turned_box(name: str, solid: Solid, rotation: Floats, making: Making) -> Box:
    """The low and high corner of a rotated solid, before any shift."""
    made_of = (solid.vertices, rotation.tobytes())
    low, high = making.once(name, made_of, partial(solid.turned_bounds, rotation))
    return low, high


def _placed(showing: SceneSubject, making: Making) -> tuple[Pose, Box, list[Placed]]:
    """The pose of the standing model, its box, and the pieces."""
    outcome, printer = showing.outcome, showing.printer
    rotation = outcome.plan.tilt.rotation
    boxes = [_turned_box(f"stood {n}", one.solid, rotation, making) for n, one in enumerate(outcome.pieces)]
    low, high = _around(boxes)
    pulls = _pulls(showing) @ rotation.T
    floor = min(float(box[0][2] + pull[2]) for box, pull in zip(boxes, pulls, strict=True))
    shift = _to_the_middle(printer, low, high, floor)
    found = []
    for number, piece in enumerate(outcome.pieces):
        if showing.standing:
            turn = (showing.view.turned or {}).get(number, np.eye(3, 4))
            pose = Pose(rotation @ turn[:, :3], rotation @ turn[:, 3] + shift + pulls[number])
            start, end = boxes[number]
        else:
            assert showing.evaluated is not None
            laid = showing.evaluated.laid[number]
            pose = Pose(laid.rotation, laid.shift)
            start, end = _turned_box(f"laid {number}", piece.solid, laid.rotation, making)
        drawn = not showing.view.as_it_came and number not in showing.view.hidden
        found.append(Placed(piece, pose, (start + pose.shift, end + pose.shift), drawn))
    return Pose(rotation, shift), (low + shift, high + shift), found


def _pulls(showing: SceneSubject) -> Floats:
    """How far each piece is pulled away, (pieces, 3) in mm of the model frame; zero while the whole model is shown."""
    outcome, fitted = showing.outcome, showing.view.fitted
    if showing.sizing:
        return np.zeros((len(outcome.pieces), 3))
    longest = longest_side(outcome)
    pulls: Floats = 0.5 * showing.view.apart * longest * pulled_apart(outcome)
    if fitted is not None:
        given = np.asarray(fitted)[: len(pulls)]
        pulls[: len(given)] = _FITTED * longest * given
    return pulls


def _piece(showing: SceneSubject, number: int, one: Placed, making: Making) -> dict[str, Thing]:
    """A piece in its colours, and its support."""
    if number in showing.view.hidden:
        return {}
    found: dict[str, Thing] = {}
    solid = one.piece.solid
    if one.drawn:
        coloured = _colours(showing, number, one.piece, making)
        found[f"piece {number}"] = Mesh(solid.vertices, solid.triangles, coloured, one.pose, clipped=True)
        light = showing.view.lights[number] if number < len(showing.view.lights) else None
        if light is not None:
            own = making.once(f"light {number}", (coloured, light.alike), lambda: coloured[light.alike])
            found[f"light {number}"] = Mesh(light.vertices, light.triangles, own, one.pose, clipped=True,
                                            instead_of=f"piece {number}")
    parted = len(showing.pieces) > 1 and showing.standing
    vertices, triangles = one.piece.skin
    if showing.view.show_support and not showing.sizing and not parted and len(triangles):
        skin = Pose(*one.piece.skin_pose(one.pose.rotation, one.pose.shift))
        found[f"support {number}"] = Mesh(
            vertices, triangles, colour(palette.SUPPORT), skin, veil=True, clipped=True
        )
    return found


def _posts(showing: SceneSubject, placed: Sequence[Placed]) -> dict[str, Thing]:
    """The posts of the pieces, where the pieces are on the bed."""
    found: dict[str, Thing] = {}
    if showing.evaluated is None or showing.standing or not showing.view.show_support:
        return found
    for ident, report in showing.outcome.posts.items():
        number = report.piece
        if number is not None and number < len(placed) and placed[number].drawn and len(report.triangles):
            one = placed[number]
            found[f"posts {ident}"] = Mesh(report.vertices, report.triangles, colour(palette.SUPPORT), one.pose,
                                           clipped=True)
    return found


def _faces(showing: SceneSubject, placed: Sequence[Placed]) -> dict[str, Thing]:
    """The filled sections of the pieces where they are cut off."""
    found: dict[str, Thing] = {}
    for face in showing.view.faces:
        if face.number < len(placed) and placed[face.number].drawn and len(face.triangles):
            found[f"section {face.number}"] = Mesh(
                face.vertices, face.triangles, colour(palette.SECTION), placed[face.number].pose, lit=False
            )
    return found


def _colours(showing: SceneSubject, number: int, piece: Piece, making: Making) -> Bytes:
    """The colour of each facet (m, 3): overhang or thin walls over the colour of the piece, with paler cut faces."""
    several = len(showing.pieces) > 1
    base = PIECES[(piece.number - 1) % len(PIECES)] if several else palette.STONE
    walls = None
    if showing.sizing and showing.walls is not None and number < len(showing.walls.behind):
        walls = showing.walls.behind[number]
    overhang = showing.view.show_overhang and not showing.view.in_place and not showing.sizing
    past = piece.past_threshold if overhang else None
    scar = piece.scar if showing.step == "Check" and showing.view.in_place and len(piece.scar) else None

    def coloured() -> Bytes:
        if walls is not None:
            found = ramp_colours(_thin(walls, showing.wall_limit), base, palette.RAMP, most=1.0)
        elif scar is not None:
            found = ramp_colours(scar, base, palette.SCARS, most=1.0)
        elif past is not None:
            found = ramp_colours(past, base, palette.RAMP)
        else:
            found = np.tile(rgb(base).astype(np.uint8), (len(piece.solid.triangles), 1))
        cut_face = piece.solid.origin < 0
        found[cut_face] = np.round(0.55 * found[cut_face] + 0.45 * rgb(palette.PALE))
        return found

    return making.once(f"colours {number}", (piece.solid, base, walls, past, scar, showing.wall_limit), coloured)


def _thin(walls: Floats32, limit: float) -> Floats32:
    """By what fraction each wall is thinner than the limit, (m,); -1 where it is not."""
    share = 1.0 - walls / max(limit, 1e-9)
    return np.where(walls < limit, share, -1.0).astype(np.float32)


def _copies(showing: SceneSubject, making: Making) -> tuple[dict[str, Thing], list[Box]]:
    """The further copies of the pieces, in paler colours, and the box of each."""
    assert showing.evaluated is not None
    found: dict[str, Thing] = {}
    boxes: list[Box] = []
    if showing.standing:
        return found, boxes
    red, green, blue = 0.5 * rgb(palette.STONE) + 0.5 * rgb(palette.SHEET)
    count = len(showing.pieces)
    for number, place in enumerate(showing.evaluated.laid[count:]):
        solid, pose = showing.pieces[number % count].solid, Pose(place.rotation, place.shift)
        pale = (float(red), float(green), float(blue))
        found[f"copy {number}"] = Mesh(solid.vertices, solid.triangles, pale, pose, clipped=True)
        low, high = _turned_box(f"copy {number}", solid, pose.rotation, making)
        boxes.append((low + pose.shift, high + pose.shift))
    return found, boxes


def _as_opened(model: Model, plan: Plan, making: Making) -> Solid:
    """The surface of a model as it was opened, in the size of a plan."""
    opened, factors = model.solid, plan.factors
    return making.once("came", (opened, factors.tobytes()), lambda: opened.resized(factors))


def _to_the_middle(printer: Printer, low: Floats, high: Floats, floor: float) -> Floats:
    """The shift (3,) in mm that brings a box to the middle of the bed, and a height to the bed."""
    middle = (low + high) / 2
    return np.array([printer.bed_x / 2 - middle[0], printer.bed_y / 2 - middle[1], -floor])


def _as_read(showing: SceneSubject, making: Making) -> tuple[Mesh, Box]:
    """The model as it was opened, uncut and in the tilt of its plan, to be looked at before it is measured; its box."""
    assert showing.model is not None
    assert showing.plan is not None
    solid, rotation = _as_opened(showing.model, showing.plan, making), showing.plan.tilt.rotation
    low, high = _turned_box("as read", solid, rotation, making)
    shift = _to_the_middle(showing.printer, low, high, float(low[2]))
    drawn = Mesh(solid.vertices, solid.triangles, colour(palette.STONE), Pose(rotation, shift))
    return drawn, (low + shift, high + shift)


def _at_size(showing: SceneSubject, model: Pose, making: Making) -> tuple[dict[str, Thing], list[Box]]:
    """The guests, the original surface while it is looked at, and the box of each."""
    found: dict[str, Thing] = {}
    boxes: list[Box] = []
    if showing.view.as_it_came and showing.model is not None and showing.plan is not None:
        solid = _as_opened(showing.model, showing.plan, making)
        found["came"] = Mesh(solid.vertices, solid.triangles, colour(palette.STONE), model)
        points = model.of(solid.vertices)
        boxes.append((points.min(axis=0), points.max(axis=0)))
    outcome = showing.outcome
    for guest in outcome.plan.guests:
        if guest.id in outcome.guests:
            solid = outcome.guests[guest.id].solid
            pose = Pose(model.rotation, model.of(np.array(guest.place) * outcome.plan.factors))
            whole = Mesh(solid.vertices, solid.triangles, colour(palette.TEAL), pose)
            # a guest inside the prop would not be seen: it is drawn whole, and once more over what hides it
            found[f"guest {guest.id}"] = whole
            found[f"guest veil {guest.id}"] = replace(whole, veil=True, through=True)
            points = pose.of(solid.vertices)
            boxes.append((points.min(axis=0), points.max(axis=0)))
    return found, boxes


def _frame(box: Box) -> Lines:
    """A thin frame on the bed around the selected piece."""
    (x0, y0, _), (x1, y1, _) = box[0] - 2, box[1] + 2
    ring = np.array([[x0, y0, 0.3], [x1, y0, 0.3], [x1, y1, 0.3], [x0, y1, 0.3]])
    return Lines(np.stack([ring, np.roll(ring, -1, axis=0)], axis=1), colour(palette.MADDER), 1.5)


def _marks(placed: Sequence[Placed], making: Making) -> dict[int, Floats]:
    """The points of the marks of all pieces, in the bed frame."""
    found: dict[int, list[Floats]] = {}
    for number, one in enumerate(placed):
        piece = one.piece
        points = making.once(f"marks {number}", (piece.solid, piece.marks), partial(mark_points, piece))
        for bit, places in points.items():
            found.setdefault(bit, []).append(one.pose.of(places))
    return {bit: np.concatenate(parts) for bit, parts in found.items()}


def mark_points(piece: Piece) -> dict[int, Floats]:
    """Points (k, 3) for each kind of mark, spread over the marked facets by area; mm, model frame."""
    found = {}
    for bit in MARKS:
        chosen = (piece.marks & bit) > 0
        area = float(piece.solid.areas[chosen].sum()) if chosen.any() else 0.0
        if area > 0:
            points, facets = spread_points(piece.solid, int(min(_MOST_MARKS, max(area / _EVERY**2, 1))), chosen)
            found[bit] = points + _BEFORE * piece.solid.normals[facets]
    return found


def _open_edges(showing: SceneSubject, placed: Sequence[Placed]) -> Floats:
    nothing = np.empty((0, 2, 3))
    if not placed or (len(placed) > 1 and not showing.sizing):
        return nothing
    segments = showing.outcome.defects.segments
    if showing.view.as_it_came and showing.model is not None and showing.plan is not None:
        segments = showing.model.solid.defects.segments * showing.plan.factors
    return placed[0].pose.of(segments) if len(segments) else nothing


def _arrangement(showing: SceneSubject) -> tuple[object, ...]:
    laid = showing.evaluated.laid if showing.evaluated is not None else ()
    sized = showing.sizing and showing.evaluated is not None
    size = tuple(showing.outcome.plan.factors) if sized else ()
    guests = len(showing.plan.guests) if showing.sizing and showing.plan is not None else 0
    sheets: set[tuple[float, ...]] = set()
    if showing.evaluated is not None and not showing.view.in_place:
        on = ((place.bed_x, showing.evaluated.printer_of(place.bed)) for place in laid)
        sheets = {(start, printer.bed_x, printer.bed_y) for start, printer in on}
    lying = (tuple(sorted(sheets)), 0 if showing.view.in_place else len(laid))
    return (showing.model, showing.printer, showing.view.in_place, showing.sizing, guests, size, lying)
