"""What support leaves on the prop: which facets it touches, and how much of that is seen on the assembled prop."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from ..arrays import Bools, Floats
from ..document.marks import CLEAR, HOLD
from ..joins.reports import PostsReport
from ..mesh.solid import Solid
from ..results.outcome import Piece, Scar
from .marked_facets import facets_at


def supported(solid: Solid, piece: Piece) -> Bools:
    """The facets of a piece that get support: those past the threshold that are not refused, and those in hold spots
    that face down.

    Returns
    -------
    (m,) bool
    """
    down = solid.normals @ piece.seat.rotation[2] < 0
    hold, clear = (piece.marks & HOLD) > 0, (piece.marks & CLEAR) > 0
    return np.asarray(down & ~clear & ((piece.past_threshold >= 0) | hold))


def scarred(
    pieces: Sequence[Piece], posts: Mapping[str, PostsReport], exposed: Floats | None
) -> tuple[list[Piece], Scar]:
    """The pieces with what support touches on them, and the scar that it leaves on the prop.

    Usual support touches everything that it holds, posts only what their tips touch. Cut faces end up inside the
    joint, so what is touched on them is hidden. What support stands on is not counted.

    Parameters
    ----------
    exposed : (triangles of the uncut,) float64
        The exposure of the prop to the audience; None while something is dragged.
    """
    if exposed is None:
        return list(pieces), Scar()
    after, sight, hidden = [], 0.0, 0.0
    by_piece = {report.piece: report for report in posts.values() if report.made.any()}
    for number, piece in enumerate(pieces):
        solid, origin = piece.solid, piece.solid.origin
        seen = np.where(origin >= 0, exposed[np.clip(origin, 0, len(exposed) - 1)], 0.0)
        report = by_piece.get(number)
        if piece.extra:
            after.append(piece)
            continue
        if report is None:
            touched = supported(solid, piece)
            amount = solid.areas * touched
        else:
            facets = facets_at(solid, report.contact[report.made])
            amount = np.bincount(facets, minlength=len(origin)) * report.area / max(int(report.made.sum()), 1)
            touched = amount > 0
        sight += math.fsum(amount * seen)
        hidden += math.fsum(amount * (1.0 - seen))
        after.append(replace(piece, scar=np.where(touched, seen, -1.0).astype(np.float32)))
    return after, Scar(sight, hidden, sum(int(report.made.sum()) for report in by_piece.values()))
