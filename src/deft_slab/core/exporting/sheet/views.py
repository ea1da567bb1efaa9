"""The drawings of a sheet."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from ...arrays import Floats
from ...document.marks import Audience
from ...joins.reports import DryMove
from ...printers.profile import Printer
from ...results.exploded_view import longest_side, pulled_apart
from ...results.outcome import Outcome, Piece
from ..layout import Laid
from .drawing import Drawing, DrawnBody, drawn, plan_of, view_from

DOTS_PER_MM = 9.0
"""About 230 to the inch."""
_TURN, _RISE = 35.0, 22.0
"""From where things are looked at by default."""
_BELOW = -35.0
_APART = 0.5
"""Share of the longest side of a piece by which the pieces are drawn apart."""
_OUT = 0.4
"""Likewise, by which those that come on are drawn out of their place."""
_ON_THE_BED = 0.05
"""mm over the lowest point within which a facet lies on the bed."""
_TURNS = (35.0, -35.0, 125.0, -125.0, 0.0, 90.0)


def front_of(audience: Audience, rotation: Floats) -> float:
    """The angle in degrees by which the standing model is turned so that its front faces the eye.

    Parameters
    ----------
    rotation : (3, 3) float64
        How the model stands.
    """
    x, y, _ = rotation @ np.array(audience.front)
    return float(np.degrees(np.arctan2(x, -y))) if np.hypot(x, y) > 1e-6 else 0.0


def assembled(outcome: Outcome, mm: tuple[float, float], *, apart: bool = False) -> Drawing:
    """The prop as it stands.

    Parameters
    ----------
    mm : tuple[float, float]
        Width and height on paper.
    apart : bool
        Whether it is pulled apart, with the numbers of its pieces.
    """
    rotation = outcome.plan.tilt.rotation
    pulls = _APART * longest_side(outcome) * pulled_apart(outcome) if apart else np.zeros((len(outcome.pieces), 3))
    own = [(piece, pull) for piece, pull in zip(outcome.pieces, pulls, strict=True) if not piece.extra]
    bodies = [
        DrawnBody((piece.solid.vertices + pull) @ rotation.T, piece.solid.triangles, str(piece.number) if apart else "",
             piece.solid.origin < 0)
        for piece, pull in own
    ]
    return _sized(bodies, view_from(front_of(outcome.plan.audience, rotation) + _TURN, _RISE), mm)


def seated(piece: Piece, mm: tuple[float, float]) -> tuple[Drawing, Drawing]:
    """A piece in its seat: from the front and above, and from below, where what lies on the bed is dotted."""
    corners = piece.solid.vertices @ piece.seat.rotation.T
    solid = piece.solid
    low = corners[:, 2] <= corners[:, 2].min() + _ON_THE_BED
    rests = low[solid.triangles].all(axis=1) & (piece.lift == 0)
    body = DrawnBody(corners, solid.triangles, "", (solid.origin < 0) & ~rests, rests)
    return _sized([body], view_from(_TURN, _RISE), mm), _sized([body], view_from(_TURN, _BELOW), mm)


def step(outcome: Outcome, move: DryMove, mm: tuple[float, float]) -> Drawing:
    """Some pieces on their way to others. The faces where they meet are hatched."""
    rotation = outcome.plan.tilt.rotation
    along = np.array(move.along)
    out = -_OUT * longest_side(outcome) * along
    cuts = {outcome.contacts[n].cut for n in move.contacts}
    bodies = []
    for number in (*move.onto, *move.pieces):
        piece = outcome.pieces[number]
        shift = out if number in move.pieces else np.zeros(3)
        glued = np.logical_or.reduce([piece.solid.by(cut) for cut in sorted(cuts)])
        corners = (piece.solid.vertices + shift) @ rotation.T
        bodies.append(DrawnBody(corners, piece.solid.triangles, str(piece.number), glued))
    front = front_of(outcome.plan.audience, rotation)
    place = np.mean([outcome.contacts[n].place for n in move.contacts], axis=0)
    way = rotation @ along
    view = max((view_from(front + turn, _RISE) for turn in _TURNS),
               key=lambda one: round(float(np.linalg.norm((one @ way)[:2])), 1))
    return _sized(bodies, view, mm, [(rotation @ (place + out), rotation @ (place + 0.15 * out))])


def _sized(
    bodies: Sequence[DrawnBody], view: Floats, mm: tuple[float, float], arrows: Sequence[tuple[Floats, Floats]] = ()
) -> Drawing:
    return drawn(bodies, view, int(mm[0] * DOTS_PER_MM), int(mm[1] * DOTS_PER_MM), arrows)


def bed(printer: Printer, laid: Sequence[tuple[str, Laid]], mm: tuple[float, float]) -> Drawing:
    """A bed from above, with what lies on it.

    Parameters
    ----------
    laid : (number of the piece, where it lies)
    """
    outlines = [(number, one.outline) for number, one in laid]
    width, depth = printer.bed_x, printer.bed_y
    if printer.endless:
        x0, y0, x1, y1 = shapely.union_all([outline for _, outline in outlines]).bounds
        width = x1 + printer.margin if printer.endless == "x" else width
        depth = y1 + printer.margin if printer.endless == "y" else depth
    return plan_of(width, depth, outlines, printer.kept_free, int(mm[0] * DOTS_PER_MM), int(mm[1] * DOTS_PER_MM))
