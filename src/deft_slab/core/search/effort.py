"""How hard ways to part a model are looked for."""

from __future__ import annotations

from dataclasses import dataclass

from .cut_map import NORMALS


@dataclass(frozen=True)
class Effort:
    """Attributes
    ----------
    normals : int
        Spread over half a sphere, that the first cut is tried along.
    later_normals, later_likely : int
        That later cuts are tried along, spread and likely ones.
    each : int
        Options of a bin of seam that are followed.
    flat_tries : int
        Options of a bin that are made, at most, until so many sit flat.
    beam : int
        Drafts of a bin, free and all flat each, that a further cut is looked for in.
    limbs : int
        The same, of those whose first cut takes a limb off.
    fewest : int
        Drafts at most that a further cut is looked for in where all pieces must fit.
    hung : int
        Limbs that are taken off as later cuts too.
    paired : int
        Drafts of the beam that are tried with the mirror image of their last cut; half of them with limbs.
    cells : int
        Bodies of a draft that a further cut is looked for in.
    finalists, again : int
        Ways measured on the full mesh after each cut, of those that lean and of those that sit all flat; and
        then of those that were hidden by one that promised more than it kept.
    least_gain : float
        Of the area behind a front, for a way to be worth measuring. (Half of the finalists of the gull and the
        hook brought less than 0.002, and took as long.).
    """

    normals: int = NORMALS
    later_normals: int = 50
    later_likely: int = 16
    each: int = 2
    flat_tries: int = 6
    beam: int = 2
    limbs: int = 1
    fewest: int = 8
    hung: int = 3
    paired: int = 16
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
