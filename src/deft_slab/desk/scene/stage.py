"""What stands on the bed: the pieces, their overhang and support, the cut and the seams, as things to draw."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF
from PySide6.QtGui import QImage, QPainter

from ...core.cuts import Cut, StraightCut
from ...core.judge.rays import first_hit
from ...core.outcome import Piece
from ...core.tilt import Tilt, turned_box
from ..cuts import on_desk
from ..cuts.reaches import reach_outline
from ..look import palette
from ..look.palette import ramp_colours, rgb
from ..state import DeskState
from .camera import Camera
from .canvas import Canvas
from .handles import CutFrame, cut_frame
from .marks import mark_points, paint_marks
from .overlay import View, paint_cut, paint_dots, paint_flag, paint_grips, paint_lines
from .pole import Pole
from .sheet import Sheet
from .sizing import SizeLooks, paint_dimensions

Floats = NDArray[np.float64]

_FLAG = np.array([130.0, 26.0])
"""Pixels across and down that a flag takes."""
_ARM = 70.0
"""Pixels: length of the arm of a cut's handle."""
_FLAT, _LEVEL = math.cos(math.radians(2.0)), 0.3
"""What counts as one flat place: the same direction, and no more than so many mm above or below."""


class Stage:
    """Turns the desk state into what the canvas draws; owns no facts.

    box : (low, high) of all that is drawn, mm
    """

    def __init__(self, state: DeskState, canvas: Canvas) -> None:
        self._state = state
        self._canvas = canvas
        self._rotation, self._shift = np.eye(3), np.zeros(3)
        self._places: list[tuple[Floats, Floats]] = []
        self._open_edges: Floats | None = None
        self._boxes: list[tuple[Floats, Floats]] = []
        self._marks: dict[int, Floats] = {}
        self._sheet, self._looks = Sheet(canvas), SizeLooks(state, canvas)
        bed = np.array([state.printer.bed_x, state.printer.bed_y, 0.5 * state.printer.height])
        self.box = self._model_box = (np.zeros(3), bed)

    def forget(self) -> None:
        """Another model: nothing is placed yet."""
        self._places = []
        self._open_edges = None

    def rebuild(self) -> None:
        """Draws the beds and the pieces anew."""
        for name in ("piece", "support", "copy"):
            self._canvas.remove(name)
        self._looks.clear()
        if self._state.evaluated is not None:
            self._place_pieces()
            self._draw_pieces()
        self.hide_below()
        self._draw_beds()
        fitted = self._state.pieces if self._state.evaluated and not self._state.in_place else ()
        self._sheet.draw_room(self._state.printer, fitted, self._boxes[: len(fitted)])

    def _draw_beds(self) -> None:
        """A sheet for each bed that the pieces take."""
        laid = self._state.evaluated.laid if self._state.evaluated and not self._standing else ()
        starts = sorted({place.bed_x for place in laid} | {0.0})
        high = self.box[1]
        self._sheet.draw(self._state.printer, starts, (float(high[0]), float(high[1])))

    @property
    def _standing(self) -> bool:
        """Whether the pieces are shown where they belong on the standing model, and not each in its own seat."""
        state = self._state
        return state.in_place or state.step == "Size" or (state.step == "Cut" and len(state.pieces) == 1)

    def _place_pieces(self) -> None:
        """Where each piece is drawn: rotation and shift from the model frame; and where the standing model is."""
        state = self._state
        rotation = state.evaluated.outcome.plan.tilt.rotation
        boxes = [_turned_box(piece.solid.vertices, rotation) for piece in state.pieces]
        low, high = np.min([box[0] for box in boxes], axis=0), np.max([box[1] for box in boxes], axis=0)
        pulls = [self._pull(piece, rotation) for piece in state.pieces]
        floor = min(float(box[0][2] + pull[2]) for box, pull in zip(boxes, pulls, strict=True))
        middle = (low + high) / 2
        self._rotation = rotation
        self._shift = np.array([state.printer.bed_x / 2 - middle[0], state.printer.bed_y / 2 - middle[1], -floor])
        self._model_box = (low + self._shift, high + self._shift)
        if self._standing:
            self._places = [(rotation, self._shift + pull) for pull in pulls]
        else:
            self._places = [(laid.rotation, laid.shift) for laid in state.evaluated.laid[: len(state.pieces)]]

    def _pull(self, piece: Piece, rotation: Floats) -> Floats:
        """How far a piece is pulled away along the normals of its cuts, bed frame; none while it is whole."""
        plan = self._state.evaluated.outcome.plan
        if self._state.step == "Size":
            return np.zeros(3)
        outcome = self._state.evaluated.outcome
        reach = 0.5 * self._state.apart * max(float(np.max(other.solid.size)) for other in self._state.pieces)
        away = np.zeros(3)
        for side in piece.sides:
            report = outcome.cuts.get(side.cut)
            if report is None or not report.parts:
                continue
            if report.lift is not None:
                # what a local cut takes off moves, and the rest stays
                cut = plan.cut(side.cut)
                moves = on_desk(cut).pulled_apart and cut.reach is None
                away += (side.side if moves or side.side > 0 else 0) * np.array(report.lift)
            else:
                away += self._from_middle(piece, side.cut)
        return rotation @ (reach * away)

    def _from_middle(self, piece: Piece, cut_id: str) -> Floats:
        """(3,) model frame: how a piece lies from the middle of all that a cut has made; the farthest of them at 1."""
        made = np.array([one.anchor for one in self._state.pieces if any(side.cut == cut_id for side in one.sides)])
        middle = (made.min(axis=0) + made.max(axis=0)) / 2
        farthest = float(np.linalg.norm(made - middle, axis=1).max())
        return (np.array(piece.anchor) - middle) / max(farthest, 1e-9)

    def _draw_pieces(self) -> None:
        state = self._state
        lows, highs = [], []
        several = len(state.pieces) > 1
        sizing = state.step == "Size"
        for number, (piece, (turn, move)) in enumerate(zip(state.pieces, self._places, strict=False)):
            points = piece.solid.vertices @ turn.T + move
            if not state.as_it_came and number not in state.hidden:
                self._canvas.mesh(f"piece {number}", points, piece.solid.triangles, self._colours(piece, several))
            lows.append(points.min(axis=0))
            highs.append(points.max(axis=0))
            if several and not self._standing and number == state.selected_piece:
                self._outline_selected(lows[-1], highs[-1])
            shown = state.show_support and number not in state.hidden
            if shown and not sizing and not (several and self._standing):
                skin = piece.skin_at(turn, move)
                self._canvas.mesh(f"support {number}", skin, piece.skin[1], tuple(rgb(palette.SUPPORT)), veil=True)
        self._boxes = list(zip(lows, highs, strict=True))
        self._marks = {} if sizing else self._place_marks()
        open_edges = state.evaluated.outcome.defects.segments
        if state.as_it_came:
            open_edges = state.model.solid.defects.segments * state.plan.factors
        self._open_edges = None
        if len(open_edges) and (not several or sizing):
            turn, move = self._places[0]
            self._open_edges = open_edges @ turn.T + move
        others = self._looks.draw(self._rotation, self._shift) if sizing else self._draw_copies()
        lows += [low for low, _ in others]
        highs += [high for _, high in others]
        self.box = (np.min(lows, axis=0), np.max(highs, axis=0))
        if sizing:  # room for the lines that say how big it is
            self.box = (
                self.box[0] - 0.06 * np.linalg.norm(self.box[1] - self.box[0]) * np.array([1, 1, 0]),
                self.box[1],
            )

    def _draw_copies(self) -> list[tuple[Floats, Floats]]:
        """The further copies of the pieces, paler; gives the (low, high) of each."""
        state, boxes = self._state, []
        if self._standing:
            return []
        pale = tuple(0.5 * rgb(palette.STONE) + 0.5 * rgb(palette.SHEET))
        count = len(state.pieces)
        for number, place in enumerate(state.evaluated.laid[count:]):
            solid = state.pieces[number % count].solid
            points = solid.vertices @ place.rotation.T + place.shift
            self._canvas.mesh(f"copy {number}", points, solid.triangles, pale)
            boxes.append((points.min(axis=0), points.max(axis=0)))
        return boxes

    def _place_marks(self) -> dict[int, Floats]:
        """Points of the marks of all pieces, bed frame."""
        found: dict[int, list[Floats]] = {}
        for piece, (turn, move) in zip(self._state.pieces, self._places, strict=False):
            for bit, points in mark_points(piece).items():
                found.setdefault(bit, []).append(points @ turn.T + move)
        return {bit: np.concatenate(parts) for bit, parts in found.items()}

    def hide_below(self) -> None:
        """Hides what lies below the height that the user chose; only in the Tilt step, on the bed."""
        state = self._state
        z = state.hidden_below if state.step == "Tilt" and not state.in_place else 0.0
        self._canvas.hide_below(("piece ", "support ", "copy "), z)

    @property
    def chosen_box(self) -> tuple[Floats, Floats] | None:
        """(low, high) of the selected piece as it is drawn."""
        number = min(self._state.selected_piece, len(self._boxes) - 1)
        return self._boxes[number] if self._boxes else None

    @property
    def pole(self) -> Pole | None:
        """What leans and turns the selected piece by pulling; None while it is not turned so."""
        box = self.chosen_box
        if self._state.pointing.kind != "turn" or box is None or self._state.in_place:
            return None
        low, high = box
        size = high - low
        # the knob is on its top, so that it is in view whenever the piece is
        return Pole((low + high) / 2, 0.5 * float(size[2]), 0.55 * float(max(size[0], size[1])))

    def turn_piece(self, tilt: Tilt) -> None:
        """Draws the selected piece in another seat, without its support, until the pieces are drawn anew."""
        number = min(self._state.selected_piece, len(self._state.pieces) - 1)
        piece, (turn, move) = self._state.pieces[number], self._places[number]
        low, high = self._boxes[number]
        centre = (low + high) / 2
        now = turn @ piece.seat.rotation.T @ tilt.rotation
        turned = now @ turn.T
        shift = centre - turned @ centre
        shift[2] = piece.lift - float((piece.solid.vertices @ now[2]).min()) - float((turned @ move)[2])
        self._canvas.move(f"piece {number}", turned, shift)
        self._canvas.remove(f"support {number}")
        self._canvas.remove("marked")
        self._marks = {}

    def mark_facets(self, number: int, facets: NDArray[np.int32]) -> None:
        """Marks some facets of a piece: an overhang spot that was flown to."""
        turn, _ = self._places[number]
        self._mark(number, facets, turn.T @ np.array([0.0, 0.0, -0.08]))

    def _mark(self, number: int, facets: NDArray[Any], off: Floats) -> None:
        """Marks facets of a piece; off : (3,) mm, model frame, by which the marking lies before them."""
        solid, (turn, move) = self._state.pieces[number].solid, self._places[number]
        points = (solid.vertices + off) @ turn.T + move
        self._canvas.mesh("marked", points, solid.triangles[facets], tuple(rgb(palette.MADDER)), opacity=0.75)

    def placed(self, number: int, place: Floats) -> Floats:
        """(3,) mm, bed frame: a point of a piece's model frame, where it is drawn."""
        turn, move = self._places[number]
        return np.asarray(turn @ place + move)

    def unplaced(self, number: int, place: Floats, normal: Floats) -> tuple[Floats, Floats]:
        """A point of the bed frame and a direction, in the model frame of a piece."""
        turn, move = self._places[number]
        return turn.T @ (place - move), turn.T @ normal

    def highlight(self, hit: tuple[int, int, Floats] | None) -> None:
        """Marks the flat place around a facet of a piece: what would lie on the bed if it were seated on it."""
        self._canvas.remove("marked")
        if hit is None:
            return
        solid = self._state.pieces[hit[0]].solid
        normal = solid.normals[hit[1]]
        height = solid.centroids @ normal
        flat = (solid.normals @ normal > _FLAT) & (np.abs(height - height[hit[1]]) < _LEVEL)
        self._mark(hit[0], flat, 0.05 * normal)

    @property
    def arrangement(self) -> tuple[object, ...]:
        """Changes when the pieces are put elsewhere as a whole, so that they should be framed anew."""
        state = self._state
        beds = tuple(sorted({laid.bed for laid in state.evaluated.laid})) if state.evaluated else ()
        guests = len(state.plan.guests) if state.step == "Size" and state.plan else 0
        size = tuple(state.evaluated.outcome.plan.factors) if state.step == "Size" and state.evaluated else ()
        lying = () if state.in_place else (beds, len(state.evaluated.laid) if state.evaluated else 0)
        return (state.model, state.printer, state.in_place, state.step == "Size", guests, size, lying)

    def _outline_selected(self, low: Floats, high: Floats) -> None:
        """A thin frame on the bed around the selected piece."""
        (x0, y0, _), (x1, y1, _) = low - 2, high + 2
        ring = np.array([[x0, y0, 0.3], [x1, y0, 0.3], [x1, y1, 0.3], [x0, y1, 0.3]])
        self._canvas.lines(
            "piece frame", np.stack([ring, np.roll(ring, -1, axis=0)], axis=1), tuple(rgb(palette.MADDER)), width=1.5
        )

    def _colours(self, piece: Piece, several: bool) -> NDArray[np.uint8]:
        base = rgb(palette.PIECES[(piece.number - 1) % len(palette.PIECES)] if several else palette.STONE)
        overhang = self._state.show_overhang and not self._state.in_place and self._state.step != "Size"
        past = piece.past_threshold if overhang else None
        walls = self._looks.wall_colours(piece.number - 1, base) if self._state.step == "Size" else None
        if walls is not None:
            colours = walls
        elif past is None:
            colours = np.broadcast_to(base, (len(piece.solid.triangles), 3)).copy()
        else:
            colours = ramp_colours(past, base, palette.RAMP)
        cut_face = piece.solid.origin < 0
        colours[cut_face] = 0.55 * colours[cut_face] + 0.45 * rgb(palette.SHEET)
        return np.round(colours).astype(np.uint8)

    def frame_of_cut(self) -> CutFrame | None:
        """The selected cut as it is drawn; None where its handles are not shown."""
        cut = self._state.cut
        if not isinstance(cut, StraightCut) or not self._shows_cut(cut):
            return None
        normal = self._rotation @ np.array(cut.normal)
        return cut_frame(normal, cut.offset + float(normal @ self._shift), *self._model_box)

    def _shows_cut(self, cut: Cut) -> bool:
        return cut.on and self._state.step == "Cut" and self._standing and bool(self._places)

    def grips(self) -> dict[str, Floats]:
        """Places, bed frame, of what can be dragged of the selected cut where it is not flat."""
        cut = self._state.cut
        if cut is None or not self._shows_cut(cut):
            return {}
        return {name: self.stood(place) for name, place in on_desk(cut).grips(cut, self._unstood_box()).items()}

    def stood(self, place: Floats) -> Floats:
        """Points of the model frame on the standing model, bed frame."""
        return np.asarray(place @ self._rotation.T + self._shift)

    def unstood(self, place: Floats) -> Floats:
        """Points of the bed frame on the standing model, model frame."""
        return np.asarray((place - self._shift) @ self._rotation)

    def _unstood_box(self) -> tuple[Floats, Floats]:
        """(low, high) of the standing model's box, as it lies in the model frame."""
        low, high = self._model_box
        return turned_box(low - self._shift, high - self._shift, self._rotation.T)

    def _paint_shape(self, painter: QPainter, view: View, grabbed: str) -> None:
        """The outline of the selected cut where it is not flat, where it stops, the line being drawn, and grips."""
        state, cut = self._state, self._state.cut
        madder, amber = rgb(palette.MADDER), rgb(palette.AMBER)
        if cut is not None and self._shows_cut(cut):
            outline = on_desk(cut).outline(cut, self._unstood_box())
            for segments, colour in ((outline, madder), (reach_outline(cut), amber)):
                if len(segments):
                    ends = self.stood(segments.reshape(-1, 3)).reshape(-1, 2, 3)
                    paint_lines(painter, view, ends, np.tile(colour, (len(ends), 1)), 1.4, through=True)
            paint_grips(painter, view, self.grips(), grabbed)
        line = state.placing.line
        if state.pointing.kind == "cut line" and self._standing and len(state.placing.creases):
            ends = self.stood(state.placing.creases.reshape(-1, 3)).reshape(-1, 2, 3)
            paint_lines(painter, view, ends, np.tile(rgb(palette.TEAL), (len(ends), 1)), 1.6)
        if len(line) and self._standing:
            points = self.stood(line)
            if len(points) > 1:
                ends = np.stack([points[:-1], points[1:]], axis=1)
                paint_lines(painter, view, ends, np.tile(madder, (len(ends), 1)), 2.0, through=True)
            paint_grips(painter, view, {f"point {n}": point for n, point in enumerate(points)}, "")

    def _paint_numbers(self, painter: QPainter, view: View) -> None:
        """The number of each piece beside it, while they are pulled apart."""
        state = self._state
        if not self._standing or len(state.pieces) < 2 or state.step not in ("Cut", "Join"):
            return
        for number, (piece, (low, high)) in enumerate(zip(state.pieces, self._boxes, strict=False)):
            if number not in state.hidden:
                at = np.append(((low + high) / 2)[:2], high[2])
                place = QPointF(*view.camera.project(at, *view.size)[0].tolist())
                chosen = number == state.selected_piece
                paint_flag(painter, place, str(piece.number), palette.MADDER if chosen else palette.INK, view.size)

    def _paint_troubles(self, painter: QPainter, view: View) -> None:
        """Where the cuts left crumbs, too little material, or a bridge."""
        if self._state.step != "Cut" or not self._standing or self._state.draft is not None:
            return
        taken: list[Floats] = []
        for report in self._state.evaluated.outcome.cuts.values():
            flags = [(np.array(place), f"crumb, {size:.1f} mm") for size, place in report.crumbs[:6]]
            flags += [(one.place, f"{one.kind}, {one.least:.2f} mm") for one in report.thin[:6]]
            if report.bridges:
                points = self.stood(np.array([one.place for one in report.bridges]))
                paint_dots(painter, view, points, palette.AMBER)
                flags.append((report.middle_of_bridge.place, "a bridge is left here"))
            for place, words in flags:
                at = view.camera.project(self.stood(place), *view.size)[0]
                # one over another could not be read; all of them are listed beside
                if all(np.any(np.abs(at - other) > _FLAG) for other in taken):
                    taken.append(at)
                    paint_flag(painter, QPointF(*at.tolist()), words, palette.AMBER, view.size)

    @property
    def turn(self) -> Floats:
        """(3, 3): rotation of the standing model."""
        return self._rotation

    @property
    def shift(self) -> Floats:
        """(3,) mm: shift of the standing model."""
        return self._shift

    def handles(self, frame: CutFrame, camera: Camera, height: int) -> dict[str, Floats]:
        """Places of a cut's handles, the same size on the screen from near and far."""
        return frame.handles(_ARM * camera.pixel(max(height, 1)))

    def view(self, camera: Camera, width: int, height: int, *, veils: bool = True) -> View:
        """The picture from a camera. veils : with the support; without is quicker"""
        for name in ("bed sheet", "bed fine"):
            self._canvas.visible(name, camera.elevation >= 0)  # from below one looks through the bed
        pixels, depth = self._canvas.picture(camera, width, height, veils=veils)
        image = QImage(pixels.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        return View(camera, image, depth)

    def paint(self, painter: QPainter, view: View, grabbed: str) -> None:
        """Paints over the picture: marks, open edges, the selected cut with its handles, the seams."""
        paint_marks(painter, view, self._marks)
        for segments, colours in self._seams():
            paint_lines(painter, view, segments, colours, 3.0, through=self._state.draft is not None)
        if self._open_edges is not None:
            amber = np.tile(rgb(palette.AMBER), (len(self._open_edges), 1))
            paint_lines(painter, view, self._open_edges, amber, 3.0)
        if self._state.step == "Size" and self._state.evaluated is not None and self._boxes:
            low, high = np.min([b[0] for b in self._boxes], axis=0), np.max([b[1] for b in self._boxes], axis=0)
            paint_dimensions(painter, view, low, high)
            self._looks.paint(painter, view, self._rotation, self._shift)
        for place, words in self._sheet.over:
            at = QPointF(*view.camera.project(place, *view.size)[0].tolist())
            paint_flag(painter, at, words, palette.AMBER, view.size)
        if self._state.evaluated is not None:
            self._paint_shape(painter, view, grabbed)
            self._paint_numbers(painter, view)
            self._paint_troubles(painter, view)
        frame = self.frame_of_cut()
        if frame is not None:
            paint_cut(painter, view, frame, self.handles(frame, view.camera, view.size[1]), grabbed)

    def _seams(self) -> list[tuple[Floats, Floats]]:
        """Segments and colours of each seam, grey where hidden to madder where in sight; of the stand-in, all madder,
        while something is dragged."""
        state = self._state
        dragged = state.draft is not None
        shown = state.live if dragged else state.evaluated
        if state.step not in ("Cut", "Join") or shown is None or not self._standing or not self._places:
            return []
        found = []
        for seam in shown.outcome.seams.values():
            seen = np.ones((len(seam.segments), 1)) if dragged else seam.exposed[:, None]
            colours = (1 - seen) * rgb(palette.HIDDEN_SEAM) + seen * rgb(palette.MADDER)
            found.append((seam.segments @ self._rotation.T + self._shift, colours))
        return found

    def hit(self, origin: Floats, towards: Floats) -> tuple[int, int, Floats] | None:
        """(piece, facet, place in mm of the model frame) that a ray of the bed frame meets first."""
        best: tuple[float, int, int, Floats] | None = None
        for number, (piece, (turn, move)) in enumerate(zip(self._state.pieces, self._places, strict=False)):
            if number in self._state.hidden:
                continue
            found = first_hit(piece.solid.vertices, piece.solid.triangles, turn.T @ (origin - move), turn.T @ towards)
            if found is not None and (best is None or found[1] < best[0]):
                place = turn.T @ (origin + found[1] * towards - move)
                best = (found[1], number, found[0], place)
        return best[1:] if best else None


def _turned_box(vertices: Floats, rotation: Floats) -> tuple[Floats, Floats]:
    turned = vertices @ rotation.T
    return turned.min(axis=0), turned.max(axis=0)
