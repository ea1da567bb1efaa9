"""The exploded view: pieces moved apart along the normals of their cuts."""

from __future__ import annotations

import numpy as np

from ..arrays import Floats
from .outcome import Outcome, Piece


def pulled_apart(outcome: Outcome) -> Floats:
    """The direction in which each piece is moved, about of length 1 for each cut that it lies on.

    Returns
    -------
    (pieces, 3) float64, model frame
    """
    return np.array([_away(outcome, piece) for piece in outcome.pieces]).reshape(-1, 3)


def longest_side(outcome: Outcome) -> float:
    """The longest side of the bounding boxes of all pieces, in mm."""
    return max(float(np.max(piece.solid.size)) for piece in outcome.pieces)


def _away(outcome: Outcome, piece: Piece) -> Floats:
    away = np.zeros(3)
    for side in piece.sides:
        report = outcome.cuts.get(side.cut)
        if report is None or not report.parts:
            continue
        if report.lift is not None:
            # what a local cut takes off moves, and the rest stays
            cut = outcome.plan.cut(side.cut)
            moves = not cut.takes_off and cut.reach is None
            away += (side.side if moves or side.side > 0 else 0) * np.array(report.lift)
        else:
            away += _from_middle(outcome.pieces, piece, side.cut)
    return away


def _from_middle(pieces: tuple[Piece, ...], piece: Piece, cut_id: str) -> Floats:
    """How a piece lies from the middle of everything that a cut has made; the farthest piece is at distance 1.

    Returns
    -------
    (3,) float64, model frame
    """
    made = np.array([one.anchor for one in pieces if any(side.cut == cut_id for side in one.sides)])
    middle = (made.min(axis=0) + made.max(axis=0)) / 2
    farthest = float(np.linalg.norm(made - middle, axis=1).max())
    return np.asarray((np.array(piece.anchor) - middle) / max(farthest, 1e-9))
