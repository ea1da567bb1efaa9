"""What a search found. Light to load: the desk shows it, and the heavy work is done elsewhere."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ..cuts import Side, StraightCut
from ..documents import Document
from ..outcome import Figures, Outcome, Piece
from ..plan import Plan
from ..tilt import Tilt

Floats = NDArray[np.float64]

MOST_PROPOSALS = 10
"""In a trade-off list."""
SWEEP_PLACES = 250
"""Along the normal of a sweep."""


@dataclass(frozen=True, eq=False)
class MapFigures:
    """(n,) arrays of the figures of ``Sketch``. down : (n, 3) unit, model frame, the directions that they are for"""

    down: Floats
    support_volume_mm3: Floats
    overhang_area_mm2: Floats
    touched_area_mm2: Floats
    show_scar_mm2: Floats
    height_mm: Floats
    largest_layer_mm2: Floats
    level_underside_mm2: Floats
    print_seconds: Floats
    sits_flat: Floats
    steady: Floats

    def __len__(self) -> int:
        return len(self.down)

    def and_also(self, other: MapFigures) -> MapFigures:
        """With the figures of further directions behind them."""
        return MapFigures(
            *(np.concatenate([getattr(self, f.name), getattr(other, f.name)]) for f in fields(MapFigures))
        )


@dataclass(frozen=True, eq=False)
class WorthTrying:
    """A seat. kind : why it was chosen; figures : of the full mesh, by the hard rule; score : by the weights, less is
    better; lift : mm over the bed; past_threshold : see ``Measured``
    """

    tilt: Tilt
    kind: str
    figures: Figures
    score: float
    lift: float
    past_threshold: NDArray[np.float32]


class CutWishes(Document):
    """What a place for a cut is looked for by.

    show_factor : so many mm of seam in sight one mm across a show face counts as
    must_fit : places whose sides fit the printer come first, where there are any
    seam_limit : mm of seam in sight, at most; pieces : so many pieces the part falls into, at most; exactly : just so
    many
    """

    show_factor: float = Field(default=4.0, ge=0, le=100)
    must_fit: bool = True
    seam_limit: float | None = Field(default=None, gt=0)
    pieces: int = Field(default=4, ge=2, le=100)
    exactly: bool = False

    def allow(self, pieces: int) -> bool:
        """Whether so many pieces are as wished."""
        return pieces == self.pieces if self.exactly else pieces <= self.pieces


class Limits(Document):
    """How far a settled cut may be from its own place. moved : mm; turned : degrees; rise : share by which the support
    may rise"""

    moved: float = Field(default=6.0, gt=0, le=1000)
    turned: float = Field(default=6.0, ge=0, le=45)
    rise: float = Field(default=0.1, ge=0, le=10)


@dataclass(frozen=True, eq=False)
class CutMap:
    """(n, k) figures of k places along each of n normals, from the stand-in; see ``judge.parting.Places``.

    normals : (n, 3) unit, model frame; offsets : (n, k) mm, rising
    support : mm3, both sides; price : the same with what does not sit flat made dearer; sight : mm of seam in sight
    show : mm of seam across show faces; area : mm2 of the cut; flat : sides that sit flat; fits : both sides do
    share : of the volume, the smaller side
    """

    normals: Floats
    offsets: Floats
    support: Floats
    price: Floats
    sight: Floats
    show: Floats
    area: Floats
    flat: Floats
    fits: Floats
    share: Floats

    def __len__(self) -> int:
        return len(self.normals)

    def and_also(self, other: CutMap) -> CutMap:
        """With the figures of more normals, at as many places each."""
        return CutMap(*(np.concatenate([getattr(self, f.name), getattr(other, f.name)]) for f in fields(CutMap)))

    def hidden_sight(self, wishes: CutWishes) -> Floats:
        """(n, k) mm: seam in sight, and what crosses show faces counted more."""
        return np.asarray(self.sight + wishes.show_factor * self.show)

    def allowed(self, wishes: CutWishes) -> NDArray[np.bool_]:
        """(n, k) places that part the piece, in sight no more than wished; those that fit, where any do."""
        good = self.share >= LEAST_SHARE
        if wishes.seam_limit is not None:
            good &= self.sight <= wishes.seam_limit
        fitting = good & (self.fits > 0.5)
        return np.asarray(fitting if wishes.must_fit and fitting.any() else good)


LEAST_SHARE = 0.01
"""Of the volume: a smaller side is a crumb, and no piece."""


@dataclass(frozen=True, eq=False)
class Sweep:
    """(k,) figures of the places of one cut, from the stand-in. offsets : mm; support, sight, show, area : as in
    ``CutMap``; largest : mm, the longest side of the larger piece, lying on its cut face; fits : both sides do
    valleys : numbers of the places that are better than those around them
    """

    offsets: Floats
    support: Floats
    sight: Floats
    show: Floats
    area: Floats
    largest: Floats
    fits: NDArray[np.bool_]
    valleys: tuple[int, ...]


@dataclass(frozen=True, eq=False)
class Turned:
    """(n, n) figures of a cut turned about two axes in its plane, through the middle of its section, from the stand-in.

    degrees : (n,) rising, the same for both; rows turn about the first axis, columns about the second
    normals : (n, n, 3); offsets : mm; support, price, sight : as in ``CutMap``
    """

    degrees: Floats
    normals: Floats
    offsets: Floats
    support: Floats
    price: Floats
    sight: Floats


@dataclass(frozen=True, eq=False)
class Proposal:
    """A cut worth making. cut : the last of the plan; plan : with it; left : share of the support of the piece as it
    sits that is left; outcome : of the plan, figures of the full mesh by the hard rule; sides : the sides of earlier
    cuts that the piece which is parted lies on
    """

    cut: StraightCut
    plan: Plan
    left: float
    outcome: Outcome
    sides: tuple[Side, ...]

    @property
    def pieces(self) -> tuple[Piece, ...]:
        """Those that the cut makes."""
        return tuple(piece for piece in self.outcome.pieces if piece.sides[: len(self.sides)] == self.sides)

    @property
    def support(self) -> float:
        """mm3 of the pieces that the cut makes."""
        return sum(piece.figures.support_volume_mm3 for piece in self.pieces)

    @property
    def sight(self) -> float:
        """mm of its seam in sight."""
        return self.outcome.seams[self.cut.id].in_sight

    @property
    def show(self) -> float:
        """mm of its seam across show faces."""
        return self.outcome.seams[self.cut.id].on_show

    @property
    def fits(self) -> bool:
        """Whether all pieces fit the printer."""
        return all(piece.fit.fits for piece in self.pieces)

    @property
    def flat(self) -> int:
        """How many of its pieces sit flat."""
        return sum(piece.figures.sits_flat for piece in self.pieces)
