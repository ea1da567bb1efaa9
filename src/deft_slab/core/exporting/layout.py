"""Where pieces lie on beds. Plain data, quick to import, which can be sent between processes."""

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
    """A piece on a bed: a rotation from the model frame, followed by a shift in mm.

    Attributes
    ----------
    bed : int
        The number of the bed.
    bed_x : float, mm
        Where that bed begins. Beds follow each other along +X, the first at 0.
    turn : float, degrees
        Rotation about the vertical, on top of its seat.
    outline : shapely.MultiPolygon
        Its footprint there in mm, on its own bed.
    of_printer : int
        The number of the bed among those of its printer.
    piece : int
        The number of the piece, from 0 on.
    copy : int
        Which copy of the prop it belongs to, from 0 on.
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
        """Points of the model frame where their piece lies on the bed.

        Returns
        -------
        (n, 3) float64, mm
        """
        return np.asarray(points @ self.rotation.T + self.shift)


def kept_as(
    pieces: Sequence[Piece], laid: Sequence[Laid], by_hand: frozenset[int] = frozenset()
) -> tuple[Placement, ...]:
    """Where pieces lie, as documents of a plan.

    Parameters
    ----------
    by_hand : frozenset[int]
        The numbers, in the list, of those that were placed by hand.
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
    """The places of pieces that still exist, by copy and piece number."""
    found: dict[tuple[int, int], Placement] = {}
    for one in lying:
        number = nearest_alike(one, pieces)
        if number is not None:
            found[one.copy_number, number] = one
    return found


def by_hand_of(pieces: Sequence[Piece], laid: Sequence[Laid], lying: Sequence[Placement]) -> frozenset[int]:
    """The numbers, in the list, of the pieces that were placed by hand."""
    hands = {key for key, one in numbered(pieces, lying).items() if one.by_hand}
    return frozenset(n for n, one in enumerate(laid) if (one.copy, one.piece) in hands)


def bed_printer(pieces: Sequence[Piece], laid: Sequence[Laid], bed: int, printer: Printer) -> Printer:
    """The printer of a bed, loaded with what is printed on it; for an empty bed the first printer.

    Parameters
    ----------
    pieces : Sequence[Piece]
        In the order of ``laid``.
    bed : int
        The number of the bed.
    printer : Printer
        The printer that the plan is judged by.
    """
    on_it = next((n for n, one in enumerate(laid) if one.bed == bed), None)
    return printer if on_it is None else pieces[laid[on_it].piece].on(printer)


def collisions(laid: Sequence[Laid], printer: Printer, pieces: Sequence[Piece] = ()) -> list[tuple[int, int]]:
    """Pairs of pieces whose footprints are closer than the gap, or that lie on one bed but are of different
    materials; and (n, n) for a piece that leaves the bed, or lies where room is kept free.

    Parameters
    ----------
    pieces : Sequence[Piece]
        In the order of ``laid``, for their printers; none: all on the printer.
    """
    found = []
    for bed in {one.bed for one in laid}:
        own = [n for n, one in enumerate(laid) if one.bed == bed]
        on = [pieces[laid[n].piece].on(printer) for n in own] if pieces else [printer] * len(own)
        found += [(own[0], n) for n, one in zip(own, on, strict=True) if one.material != on[0].material]
        found += [pair for pair in _too_near(laid, own, on[0]) if pair not in found]
    return found


def _too_near(laid: Sequence[Laid], own: Sequence[int], printer: Printer) -> list[tuple[int, int]]:
    """The same for the pieces on one bed."""
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
