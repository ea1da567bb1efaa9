"""What a search found. Light to load: the desk shows it, and the heavy work is done elsewhere."""

from __future__ import annotations

import math
from dataclasses import dataclass, fields
from typing import TypeVar

import numpy as np
from pydantic import Field

from ..arrays import Bools, Floats, Floats32
from ..cuts import Cut
from ..document.base import Document
from ..geometry.orientation import Tilt
from ..plan.plan import Plan
from ..results.outcome import NOT_BARRED, Figures, Fit, Seam

T = TypeVar("T", float, Floats)

MOST_PIECES = 100
"""That ways are looked for with."""
SWEEP_PLACES = 250
"""Along the normal of a sweep."""


@dataclass(frozen=True, eq=False)
class MapFigures:
    """(n,) arrays of the figures of ``Sketch``.

    Attributes
    ----------
    down : (n, 3) float64
        Unit, model frame, the directions that they are for.
    """

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
    """A seat.

    Attributes
    ----------
    kind : str
        Why it was chosen.
    figures : Figures
        Of the full mesh, by the hard rule.
    score : float
        By the weights, less is better.
    lift : float
        mm over the bed.
    past_threshold : array of float32
        See ``Measured``.
    fit : Fit
        On the printer that it was looked for.
    """

    tilt: Tilt
    kind: str
    figures: Figures
    score: float
    lift: float
    past_threshold: Floats32
    fit: Fit


class CutWishes(Document):
    """What ways to part a piece are looked for by. Conditions leave ways out; nothing else does.

    Attributes
    ----------
    pieces : int
        So many at most.
    least_volume : float, mm3
        Of each piece.
    seam_limit : float, mm
        Of seam in sight, at most, all cuts.
    flat : bool
        Every piece sits flat.
    must_fit : bool
        Every piece fits the printer.
    open_shells : bool
        Cuts may go through closed voids.
    show_factor : float
        So many mm of seam in sight one mm across a show face counts as.
    welcome_factor : float
        So many mm in sight one mm counts as where a seam is welcome.
    """

    pieces: int = Field(default=3, ge=2, le=MOST_PIECES)
    least_volume: float = Field(default=0.0, ge=0)
    seam_limit: float | None = Field(default=None, gt=0)
    flat: bool = False
    must_fit: bool = False
    open_shells: bool = True
    show_factor: float = Field(default=4.0, ge=0, le=100)
    welcome_factor: float = Field(default=0.25, ge=0, le=1)

    def hidden(self, sight: T, show: T, welcome: T) -> T:
        """mm: seam in sight, what crosses show faces counted more, what runs where it is welcome less. All of one
        shape (...).
        """
        return sight + self.show_factor * show - (1.0 - self.welcome_factor) * welcome


class Limits(Document):
    """How far a settled cut may be from its own place.

    Attributes
    ----------
    moved : float, mm
    turned : float, degrees
    rise : float
        Share by which the support may rise, None where that does not matter.
    """

    moved: float = Field(default=6.0, gt=0, le=1000)
    turned: float = Field(default=6.0, ge=0, le=45)
    rise: float | None = Field(default=0.1, ge=0, le=10)

    def most_support(self, before: float) -> float:
        """mm3 that may be left where so much was before; 1 mm3 more is nothing."""
        return math.inf if self.rise is None else (1 + self.rise) * before + 1.0


@dataclass(frozen=True, eq=False)
class CutMap:
    """(n, k) figures of k places along each of n normals, from the draft mesh; see ``judge.parting.Places``.

    Attributes
    ----------
    normals : (n, 3) float64
        Unit, model frame.
    offsets : (n, k) float64, mm
        Rising.
    support : mm3
        Both sides, however they sit.
    flat : mm3
        Where both sit flat, inf where they cannot.
    sight : mm
        Of seam in sight.
    show : mm
        Of seam across show faces.
    barred : mm
        Where none may run.
    welcome : mm
        In sight where one is welcome.
    area : array of float64
        mm2 of the cut.
    fits : array of float64
        Both sides do.
    share : array of float64
        Of the volume, the smaller side.
    """

    normals: Floats
    offsets: Floats
    support: Floats
    flat: Floats
    sight: Floats
    show: Floats
    barred: Floats
    welcome: Floats
    area: Floats
    fits: Floats
    share: Floats

    def __len__(self) -> int:
        return len(self.normals)

    def hidden_sight(self, wishes: CutWishes) -> Floats:
        """(n, k) mm; see ``CutWishes.hidden``."""
        return np.asarray(wishes.hidden(self.sight, self.show, self.welcome))

    def left(self, wishes: CutWishes) -> Floats:
        """(n, k) mm3: support of both sides, sitting flat if that is wished."""
        return self.flat if wishes.flat else self.support

    def allowed(self, wishes: CutWishes) -> Bools:
        """(n, k) places that part the piece as wished."""
        good = (self.share >= LEAST_SHARE) & (self.barred < NOT_BARRED) & np.isfinite(self.left(wishes))
        if wishes.seam_limit is not None:
            good &= self.sight <= wishes.seam_limit
        return np.asarray(good & (self.fits > 0.5) if wishes.must_fit else good)


LEAST_SHARE = 0.01
"""Of the volume: a smaller side is a crumb, and no piece."""


@dataclass(frozen=True, eq=False)
class Sweep:
    """(k,) figures of the places of one cut, from the draft mesh.

    Attributes
    ----------
    offsets : mm
    support : mm3
        As the plan seats pieces.
    sight, show, area : array of float64
        As in ``CutMap``.
    largest : mm
        The longest side of the larger piece, lying on its cut face.
    fits : array of bool
        Both sides do.
    valleys : tuple[int, ...]
        Numbers of the places that are better than those around them.
    """

    offsets: Floats
    support: Floats
    sight: Floats
    show: Floats
    area: Floats
    largest: Floats
    fits: Bools
    valleys: tuple[int, ...]


@dataclass(frozen=True, eq=False)
class Turned:
    """(n, n) figures of a cut turned about two axes in its plane, through the middle of its section, from the draft
    mesh.

    Attributes
    ----------
    degrees : (n,) float64
        Rising, the same for both; rows turn about the first axis, columns about the second.
    normals : (n, n, 3) float64
    offsets : mm
    support : mm3
        As the plan seats pieces.
    sight : array of float64
        As in ``CutMap``.
    """

    degrees: Floats
    normals: Floats
    offsets: Floats
    support: Floats
    sight: Floats


class CountsPieces:
    """What is said of a way by its pieces.

    Attributes
    ----------
    pieces, flat, fitting : int
        How many there are, sit flat, fit the printer.
    """

    pieces: int
    flat: int
    fitting: int

    @property
    def all_flat(self) -> bool:
        """Whether every piece sits flat."""
        return self.flat == self.pieces

    @property
    def all_fit(self) -> bool:
        """Whether every piece fits the printer."""
        return self.fitting == self.pieces


@dataclass(frozen=True, eq=False)
class Way(CountsPieces):
    """A way to part what is looked at.

    Attributes
    ----------
    plan : Plan
        It, to be taken as it is.
    support : float, mm3
    sight, show, hidden : float
        mm of the seams of its cuts, of which it has one each; see ``CutWishes.hidden``.
    measured : bool
        On the full mesh, by the hard rule; else it is only known from the draft mesh.
    over : float, mm
        By which a piece is too large for the printer, at most.
    alike : int
        How many pieces have the shape of another one, or its mirror image.
    """

    plan: Plan
    cuts: tuple[Cut, ...]
    pieces: int
    flat: int
    fitting: int
    support: float
    sight: float
    show: float
    hidden: float
    seams: tuple[Seam, ...]
    measured: bool = False
    alike: int = 0
    over: float = 0.0

    def no_better(self, stands: Way, little: float) -> bool:
        """Whether it needs more support than what stands there uncut, by more than ``little`` mm3, and sits no flatter
        and fits no better for it.
        """
        flatter = self.flat * stands.pieces > stands.flat * self.pieces
        fits_better = self.fitting * stands.pieces > stands.fitting * self.pieces or self.over < stands.over
        return self.support > stands.support + little and not flatter and not fits_better


@dataclass(frozen=True, eq=False)
class Front:
    """The ways found so far, least support first.

    Attributes
    ----------
    whole : float, mm3
        Support of what is parted as it sits now.
    done : bool
        Nothing more is looked for.
    short_of : str
        Where no way is as wished: which condition is in the way, and by how much.
    least_pieces : int
        Fewer than these do not fit the printer, however it is parted.
    """

    ways: tuple[Way, ...]
    whole: float
    done: bool
    short_of: str = ""
    least_pieces: int = 1
