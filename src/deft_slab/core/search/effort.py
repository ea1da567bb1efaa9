"""How hard ways to part a model are searched for."""

from __future__ import annotations

from dataclasses import dataclass

from .cut_map import NORMALS


@dataclass(frozen=True)
class Effort:
    """How hard ways to part a model are searched for.

    Attributes
    ----------
    normals : int
        How many normals spread over the half-sphere the first cut is tried along.
    later_normals, later_likely : int
        How many spread and likely normals later cuts are tried along.
    each : int
        How many options of a bin of visible seam are followed.
    flat_tries : int
        How many options of a bin are made, at most, until enough of them sit flat.
    beam : int
        How many drafts of a bin, free and all flat each, a further cut is searched in.
    limbs : int
        The same for drafts whose first cut takes a limb off.
    fewest : int
        How many drafts a further cut is searched in at most if all pieces must fit.
    hung : int
        How many limbs are also taken off as later cuts.
    paired : int
        How many drafts of the beam are tried with the mirror image of their last cut; half of them with limbs.
    cells : int
        How many bodies of a draft a further cut is searched in.
    finalists, again : int
        How many ways are measured on the full mesh after each cut, of those that lean and of those with all
        pieces flat; and then how many that were hidden by one that promised more than it kept.
    least_gain : float
        How much of the area behind a front a way must add to be worth measuring. (Half of the finalists of the
        gull and the hook added less than 0.002, and took as long.)

    With 50 later normals, 16 likely ones, 3 limbs and 16 pairs a search takes a quarter more work, and the areas behind
    the fronts of the hook and of the rugged body come out within 0.01 of the same. One option of a bin instead of two,
    with four tries for flat ones, takes 18 and 36 % off, and moves the best rows by up to 2 % of themselves.
    """

    normals: int = NORMALS
    later_normals: int = 30
    later_likely: int = 12
    each: int = 2
    flat_tries: int = 6
    beam: int = 2
    limbs: int = 1
    fewest: int = 8
    hung: int = 2
    paired: int = 8
    cells: int = 3
    finalists: int = 6
    again: int = 4
    least_gain: float = 0.002


USUAL = Effort()
THOROUGH = Effort(
    normals=500, later_normals=150, later_likely=24, each=6, flat_tries=12, beam=6, limbs=3, fewest=24, hung=6,
    paired=48, cells=4, finalists=18, again=12, least_gain=0.0,
)
"""4.4 times the work for the demo helmet, up to 4 pieces."""
