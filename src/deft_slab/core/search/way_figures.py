"""Plans that were measured, and drafts, as ways with their figures."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from ..cuts import Cut, Side
from ..figures.congruence import same_shapes
from ..mesh.solid import Solid
from ..plan.plan import Plan
from ..results.outcome import Outcome, Piece
from .drafts import Draft, SearchPieces
from .results import CutWishes, Way

_SAME_VOLUME = 1.01


def measured_way(
    plan: Plan, cuts: tuple[Cut, ...], outcome: Outcome, among: Sequence[tuple[Side, ...]], wishes: CutWishes
) -> Way:
    """A plan on the full mesh.

    Parameters
    ----------
    cuts : tuple[Cut, ...]
        Those that were found.
    among : Sequence[tuple[Side, ...]]
        Sides of the pieces that they part.
    """
    pieces = on_sides(outcome.pieces, among)
    over = max((out for piece in pieces for out in piece.fit.over), default=0.0)
    seams = [outcome.seams[cut.id] for cut in cuts]
    sight, show = sum(seam.in_sight for seam in seams), sum(seam.on_show for seam in seams)
    return Way(
        plan, cuts, len(pieces), sum(one.figures.sits_flat for one in pieces), sum(one.fit.fits for one in pieces),
        sum(one.figures.support_volume_mm3 for one in pieces), sight, show,
        wishes.hidden(sight, show, sum(seam.welcome for seam in seams)), tuple(seams), True,
        _alike([piece.solid for piece in pieces]), over,
    )


def on_sides(pieces: Sequence[Piece], among: Sequence[tuple[Side, ...]]) -> list[Piece]:
    """Those of some pieces that come of one with such sides: bodies that hang together in no cut have the same."""
    return [one for one in pieces if any(one.sides[: len(sides)] == sides for sides in among)]


def drafted_way(plan: Plan, draft: Draft, flat: bool, ground: SearchPieces) -> Way | None:
    """A draft, free or all flat, as a way that is only known from the draft mesh; None where it cannot be all flat.

    Parameters
    ----------
    plan : Plan
        That its cuts go on from.
    """
    seats = [cell.seats.flat if flat else cell.seats.least for cell in draft.cells]
    known, besides = [seat for seat in seats if seat is not None], ground.besides
    if len(known) < len(seats):
        return None
    return Way(
        draft.added_to(plan).changed(leaning=1.0 if flat else 0.0), draft.cuts, len(known) + len(besides),
        sum(seat.flat for seat in known) + sum(one.figures.sits_flat for one in besides),
        sum(seat.fits for seat in known) + sum(one.fit.fits for one in besides),
        draft.left(flat) + sum(one.figures.support_volume_mm3 for one in besides), draft.sight, draft.show,
        draft.hidden(ground.wishes), draft.seams, alike=draft.alike,
    )


def _alike(solids: list[Solid]) -> int:
    """How many have the shape of one before them, or its mirror image; what differs in volume is not compared."""
    volumes = sorted(solid.volume for solid in solids)
    if all(b > _SAME_VOLUME * a for a, b in pairwise(volumes)):
        return 0
    return sum(first != number for number, (first, _) in enumerate(same_shapes(solids)))
