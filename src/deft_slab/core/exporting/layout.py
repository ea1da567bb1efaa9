"""Where pieces lie on beds: plain data, light to load, able to travel between processes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ..arrays import Floats
from ..plan.piece_matching import nearest_alike
from ..plan.placements import Placement
from ..printers.profile import Printer
from ..results.outcome import Piece

if TYPE_CHECKING:
    import shapely


_TOUCH = 1e-3
"""mm by which footprints may come nearer to each other than the gap: rounding."""


@dataclass(frozen=True, eq=False)
class Laid:
    """A piece laid on a bed: rotation (3, 3) from the model frame, then shift (3,) mm.

    Attributes
    ----------
    bed : int
        Its number.
    bed_x : float, mm
        Where that bed begins. Beds follow each other along +X, the first at 0.
    of_printer : int
        The bed's number among those of its printer.
    piece : int
        The number of the piece, from 0 on.
    copy : int
        Which copy of the prop it is of, from 0 on.
    turn : float, degrees
        About the vertical, on top of its seat.
    outline : shapely.MultiPolygon
        Its footprint there, mm, on its own bed.
    """

    rotation: Floats
    shift: Floats
    bed: int
    bed_x: float
    turn: float
    outline: shapely.MultiPolygon
    of_printer: int
    piece: int
    copy: int

    def placed(self, points: Floats) -> Floats:
        """(n, 3) mm: points of the model frame where their piece lies."""
        return np.asarray(points @ self.rotation.T + self.shift)


def kept_as(
    pieces: Sequence[Piece], laid: Sequence[Laid], by_hand: frozenset[int] = frozenset()
) -> tuple[Placement, ...]:
    """Where pieces lie, for a plan.

    Parameters
    ----------
    by_hand : frozenset[int]
        Numbers, in the list, of those that were put by hand.
    """
    found = []
    for number, one in enumerate(laid):
        piece = pieces[one.piece]
        x, y, _, _ = one.outline.bounds
        found.append(Placement(
            sides=piece.sides, anchor=piece.anchor, copy_number=one.copy, bed=one.of_printer,
            x=round(x, 4), y=round(y, 4), turn=round(one.turn, 4), by_hand=number in by_hand,
        ))
    return tuple(found)


def numbered(pieces: Sequence[Piece], lying: Sequence[Placement]) -> dict[tuple[int, int], Placement]:
    """Where pieces that are still there are to lie, by (copy, number of the piece)."""
    found: dict[tuple[int, int], Placement] = {}
    for one in lying:
        number = nearest_alike(one, pieces)
        if number is not None:
            found[one.copy_number, number] = one
    return found


def by_hand_of(pieces: Sequence[Piece], laid: Sequence[Laid], lying: Sequence[Placement]) -> frozenset[int]:
    """Numbers, in the list of what is laid, of the pieces that were put by hand."""
    hands = {key for key, one in numbered(pieces, lying).items() if one.by_hand}
    return frozenset(n for n, one in enumerate(laid) if (one.copy, one.piece) in hands)


def bed_printer(pieces: Sequence[Piece], laid: Sequence[Laid], bed: int, printer: Printer) -> Printer:
    """The printer of a bed, by its number, loaded with what is printed on it; of one that is empty the first.

    Parameters
    ----------
    pieces : Sequence[Piece]
        In the order of ``laid``.
    printer : Printer
        What the plan is judged by.
    """
    on_it = next((n for n, one in enumerate(laid) if one.bed == bed), None)
    return printer if on_it is None else pieces[laid[on_it].piece].on(printer)


def collisions(laid: Sequence[Laid], printer: Printer, pieces: Sequence[Piece] = ()) -> list[tuple[int, int]]:
    """Pairs of numbers of pieces whose footprints are nearer to each other than the gap, or that lie on one bed and are
    of different materials; (n, n) of one that leaves the bed less its margin, or lies where room is kept free.

    Parameters
    ----------
    pieces : Sequence[Piece]
        In the order of ``laid``, for what they are printed on; none: all on the printer.
    """
    found = []
    for bed in {one.bed for one in laid}:
        own = [n for n, one in enumerate(laid) if one.bed == bed]
        on = [pieces[laid[n].piece].on(printer) for n in own] if pieces else [printer] * len(own)
        found += [(own[0], n) for n, one in zip(own, on, strict=True) if one.material != on[0].material]
        found += [pair for pair in _too_near(laid, own, on[0]) if pair not in found]
    return found


def _too_near(laid: Sequence[Laid], own: Sequence[int], printer: Printer) -> list[tuple[int, int]]:
    """Of those on one bed, by their numbers."""
    import shapely  # slow to load, and this module is known to the window

    found = []
    room_x, room_y, _ = printer.room
    low, high = printer.margin - _TOUCH, 1e9
    edge = shapely.box(low, low, low + 2 * _TOUCH + min(room_x, high), low + 2 * _TOUCH + min(room_y, high))
    kept = shapely.union_all([shapely.box(x, y, x + w, y + d) for x, y, w, d in printer.kept_free])
    tree = shapely.STRtree([laid[n].outline for n in own])
    for k, n in enumerate(own):
        outline = laid[n].outline
        if not edge.covers(outline) or (not kept.is_empty and outline.distance(kept) < 1e-9):
            found.append((n, n))
        near = tree.query(outline, predicate="dwithin", distance=printer.gap - _TOUCH)
        found += [(n, own[other]) for other in sorted(near.tolist()) if other > k]
    return found
