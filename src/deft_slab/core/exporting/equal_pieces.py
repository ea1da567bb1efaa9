"""Equal pieces: one file and a count are enough for them."""

from __future__ import annotations

from collections.abc import Sequence

from ..results.outcome import Piece


def first_equals(pieces: Sequence[Piece]) -> list[int]:
    """For each piece the number, from 0 on, of the first one that is equal to it. Mirror images are not equal; see
    ``same_shapes`` for what is.
    """
    from ..figures.congruence import same_shapes  # slow to load, and what writes pieces is known to the window

    return firsts_of(same_shapes([piece.solid for piece in pieces]))


def firsts_of(shapes: Sequence[tuple[int, bool]]) -> list[int]:
    """``first_equals`` for pieces whose shapes are known, as given by ``same_shapes``."""
    return [shapes.index(shape) for shape in shapes]


def each_once(pieces: Sequence[Piece]) -> list[tuple[Piece, int]]:
    """The pieces without repetition, and how many there are of each."""
    firsts = first_equals(pieces)
    return [(pieces[first], firsts.count(first)) for first in sorted(set(firsts))]
