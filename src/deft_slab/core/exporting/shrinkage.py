"""Enlarges pieces by the shrinkage of their material, so that they have their size when they are cold."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ..mesh.solid import Solid
from ..printers.profile import Printer
from ..results.outcome import Piece


def as_printed(pieces: Sequence[Piece], printer: Printer) -> list[Piece]:
    """The pieces as files store them: each larger by 1 / (1 - s), s of its own material, about the middle of its
    place on the bed, where it stays (docs/how-it-works.md, "Beds and the job"). Clearances are right after
    shrinking. The figures are those of the cold piece.
    """
    return [_grown(piece, piece.on(printer).growth) for piece in pieces]


def _grown(piece: Piece, growth: float) -> Piece:
    if growth == 1.0:
        return piece
    low, high = piece.solid.turned_bounds(piece.seat.rotation)
    middle = np.array([*((low + high) / 2)[:2], low[2]]) @ piece.seat.rotation
    solid = piece.solid
    larger = Solid(middle + growth * (solid.vertices - middle), solid.triangles, solid.origin, solid.made)
    return replace(piece, solid=larger, as_opened=None)
