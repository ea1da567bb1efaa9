"""What searches find. Quick to import, because the desk shows it, while the heavy work is done elsewhere."""

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
    """Figures of n directions as arrays (n,), named as in ``batch_figures.Sketches``.

    Attributes
    ----------
    down : (n, 3) float64
        Unit vectors of the model frame: the directions.
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
        """These figures followed by those of further directions."""
        return MapFigures(
            *(np.concatenate([getattr(self, f.name), getattr(other, f.name)]) for f in fields(MapFigures))
        )


@dataclass(frozen=True, eq=False)
class WorthTrying:
    """A seat that is worth trying.

    Attributes
    ----------
    kind : str
        Why it was chosen.
    figures : Figures
        Its figures on the full mesh, by the hard rule.
    score : float
        Its score by the weights; smaller is better.
    lift : float
        Height over the bed, in mm.
    past_threshold : array of float32
        See ``Measured``.
    fit : Fit
        Whether it fits the printer that it was searched for.
    """

    tilt: Tilt
    kind: str
    figures: Figures
    score: float
    lift: float
    past_threshold: Floats32
    fit: Fit


class CutWishes(Document):
    """Conditions for ways to part a piece. A way is left out if it violates one of them, and for no other reason.

    Attributes
    ----------
    pieces : int
        The most pieces.
    least_volume : float, mm3
        The least volume of each piece.
    seam_limit : float, mm
        The most seam in sight, of all cuts.
    flat : bool
        Whether every piece must sit flat.
    must_fit : bool
        Whether every piece must fit the printer.
    open_shells : bool
        Whether cuts may go through closed voids.
    show_factor : float
        How much a mm of seam across a show face counts, in mm of seam in sight.
    welcome_factor : float
        How much a mm in sight counts where a seam is welcome.
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
        """The weighted length of visible seam in mm: what crosses show faces counts more, what runs where a seam is
        welcome counts less.
        """
        return sight + self.show_factor * show - (1.0 - self.welcome_factor) * welcome


class Limits(Document):
    """How far a settled cut may be from its own place.

    Attributes
    ----------
    moved : float, mm
    turned : float, degrees
    rise : float
        By what share the support may rise; None if that does not matter.
    """

    moved: float = Field(default=6.0, gt=0, le=1000)
    turned: float = Field(default=6.0, ge=0, le=45)
    rise: float | None = Field(default=0.1, ge=0, le=10)

    def most_support(self, before: float) -> float:
        """The most support, in mm3, that may be left after the given amount before; 1 mm3 more does not matter."""
        return math.inf if self.rise is None else (1 + self.rise) * before + 1.0


@dataclass(frozen=True, eq=False)
class CutMap:
    """Figures (n, k) of k places along each of n normals, from the draft mesh; see ``plane_scoring.CutPlaces``.

    Attributes
    ----------
    normals : (n, 3) float64
        Unit vectors, model frame.
    offsets : (n, k) float64, mm
        Rising.
    support : (n, k) float64, mm3
        The support of both sides in their best seats.
    flat : (n, k) float64, mm3
        The support with both sides flat; inf if that is impossible.
    sight : (n, k) float64, mm
        The seam in sight.
    show : (n, k) float64, mm
        The seam across show faces.
    barred : (n, k) float64, mm
        The seam where none may run.
    welcome : (n, k) float64, mm
        The seam in sight where one is welcome.
    area : (n, k) float64, mm2
        The area of the cut.
    fits : (n, k) bool
        Whether both sides fit the printer.
    share : (n, k) float64
        The volume of the smaller side, as a share.
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
        """See ``CutWishes.hidden``.

        Returns
        -------
        (n, k) float64, mm
        """
        return np.asarray(wishes.hidden(self.sight, self.show, self.welcome))

    def left(self, wishes: CutWishes) -> Floats:
        """The support of both sides, flat if that is a condition.

        Returns
        -------
        (n, k) float64, mm3
        """
        return self.flat if wishes.flat else self.support

    def allowed(self, wishes: CutWishes) -> Bools:
        """Which places meet the conditions.

        Returns
        -------
        (n, k) bool
        """
        good = (self.share >= LEAST_SHARE) & (self.barred < NOT_BARRED) & np.isfinite(self.left(wishes))
        if wishes.seam_limit is not None:
            good &= self.sight <= wishes.seam_limit
        return np.asarray(good & (self.fits > 0.5) if wishes.must_fit else good)


LEAST_SHARE = 0.01
"""Of the volume: a smaller side is a crumb, and no piece."""


@dataclass(frozen=True, eq=False)
class Sweep:
    """Figures (k,) of the places of one cut, from the draft mesh.

    Attributes
    ----------
    offsets : (k,) float64, mm
    support : (k,) float64, mm3
        The support in the seats that the plan chooses.
    sight, show, area : array of float64
        As in ``CutMap``.
    largest : (k,) float64, mm
        The longest side of the larger piece, lying on its cut face.
    fits : array of bool
        Whether both sides fit the printer.
    valleys : tuple[int, ...]
        The numbers of the places that are better than those around them.
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
    """Figures (n, n) of a cut rotated about two axes in its plane, through the middle of its section, from the draft
    mesh.

    Attributes
    ----------
    degrees : (n,) float64
        The angles, rising, the same for both axes; rows rotate about the first axis, columns about the second.
    normals : (n, n, 3) float64
    offsets : (n, n) float64, mm
    support : (n, n) float64, mm3
        The support in the seats that the plan chooses.
    sight : array of float64
        As in ``CutMap``.
    """

    degrees: Floats
    normals: Floats
    offsets: Floats
    support: Floats
    sight: Floats


class CountsPieces:
    """What can be said about a way by counting its pieces.

    Attributes
    ----------
    pieces, flat, fitting : int
        How many pieces there are, how many sit flat, and how many fit the printer.
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
    """A way to part a model or a piece.

    Attributes
    ----------
    plan : Plan
        The complete plan.
    support : float, mm3
    sight, show, hidden : float, mm
        The seams of its cuts; see ``CutWishes.hidden``.
    measured : bool
        Whether it was measured on the full mesh, by the hard rule; otherwise its figures come from the draft
        mesh.
    alike : int
        How many pieces have the shape of another one, or its mirror image.
    over : float, mm
        By how much a piece is too large for the printer, at most.
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
        """Whether it needs more support than the uncut model, by more than ``little`` mm3, and is neither flatter
        nor fits better.
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
        The support of the uncut model or piece as it sits now.
    done : bool
        Whether the search has ended.
    short_of : str
        If no way meets the conditions: which condition is in the way, and by how much.
    least_pieces : int
        Fewer pieces than this cannot fit the printer, however the model is parted.
    """

    ways: tuple[Way, ...]
    whole: float
    done: bool
    short_of: str = ""
    least_pieces: int = 1
