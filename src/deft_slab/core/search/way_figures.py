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
    """A plan measured on the full mesh, as a way.

    Parameters
    ----------
    cuts : tuple[Cut, ...]
        The cuts that were found.
    among : Sequence[tuple[Side, ...]]
        The sides of the pieces that they part.
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
    """Those pieces that come from a piece with given sides. Connected bodies that no cut separates have the same
    sides.
    """
    return [one for one in pieces if any(one.sides[: len(sides)] == sides for sides in among)]


def drafted_way(plan: Plan, draft: Draft, flat: bool, ground: SearchPieces) -> Way | None:
    """A draft, free or with all pieces flat, as a way whose figures come from the draft mesh; None if it cannot be
    all flat.

    Parameters
    ----------
    plan : Plan
        The plan that its cuts continue.
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
    """How many solids have the shape of an earlier one, or its mirror image. Solids of different volume are not
    compared.
    """
    volumes = sorted(solid.volume for solid in solids)
    if all(b > _SAME_VOLUME * a for a, b in pairwise(volumes)):
        return 0
    return sum(first != number for number, (first, _) in enumerate(same_shapes(solids)))
