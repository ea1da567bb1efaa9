"""What a plan comes to: figures, pieces, seams. Plain data, light to load, and able to travel between processes."""

from __future__ import annotations

from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray

from .plan import ModelRef, PieceWish, Plan, Side, Tilt
from .solid import Defects, Solid

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Model:
    """An opened model: its surface in the units of its file, and what it is called."""

    name: str
    solid: Solid
    grid: float
    unit: str = "mm"

    @property
    def sha256(self) -> str:
        return self.solid.sha256

    @property
    def ref(self) -> ModelRef:
        return ModelRef(name=self.name, sha256=self.sha256, grid=self.grid)


@dataclass(frozen=True)
class Figures:
    """Units are in the names; definitions.md says what each means. volume_mm3 is None for an open surface."""

    triangles: int
    closed: bool
    size_mm: tuple[float, float, float]
    volume_mm3: float | None
    height_mm: float
    overhang_area_mm2: float
    support_volume_mm3: float
    support_inside_mm3: float
    support_on_piece_mm3: float
    support_on_bed_mm3: float
    landing_area_mm2: float
    projected_area_mm2: float
    base_area_mm2: float
    steadiness_mm: float
    tipping_deg: float
    sits_flat: bool
    near_threshold_share: float

    def as_dict(self) -> dict[str, object]:
        return asdict(self)


@dataclass(frozen=True)
class Fit:
    """fits : there is a turn about the vertical for which it stays inside the bed
    yaw : degrees, the smallest turn that fits; else the one that sticks out least
    over : mm by which it sticks out along x, y and z at that turn (0 where it does not)
    """

    fits: bool
    yaw: float
    over: tuple[float, float, float]

    def sentence(self) -> str:
        """By how much it does not fit: "59.6 mm too high"; empty when it fits."""
        words = ("wide", "deep", "high")
        return ", ".join(f"{out:.1f} mm too {word}" for out, word in zip(self.over, words, strict=True) if out)


@dataclass(frozen=True, eq=False)
class Seam:
    """segments : (k, 2, 3) mm, model frame; length, in_sight : mm; cut_area : mm2; exposed : (k,) 0 to 1"""

    segments: Floats
    exposed: Floats
    length: float
    in_sight: float
    cut_area: float


@dataclass(frozen=True, eq=False)
class Piece:
    """A printable part, in its seat.

    solid : mm, model frame
    factor : mm in one unit of the opened file
    wished : the wish of the plan that was found to be for this piece
    sides : the sides of the cuts that it lies on; with ``anchor`` (a point of the model, mm) they name the piece
    past_threshold : (m,) degrees past the threshold of facets that need support, else -1
    skin : (vertices mm in the bed frame, triangles) of the support around it
    """

    number: int
    name: str
    solid: Solid
    sides: tuple[Side, ...]
    anchor: tuple[float, float, float]
    seat: Tilt
    seat_kind: str
    figures: Figures
    fit: Fit
    crumb: bool
    factor: float
    wished: PieceWish | None
    past_threshold: NDArray[np.float32]
    skin: tuple[Floats, NDArray[np.int32]]

    def wish(self, **update: object) -> PieceWish:
        """What is wished of this piece, changed, to put into the plan in place of ``wished``."""
        seat, name = (self.wished.seat, self.wished.name) if self.wished else (None, None)
        return PieceWish(sides=self.sides, anchor=self.anchor, seat=seat, name=name).model_copy(update=update)


@dataclass(frozen=True)
class Totals:
    """Sums over the pieces of a plan; ``largest`` figures are of the worst piece."""

    pieces: int
    overhang_area_mm2: float
    support_volume_mm3: float
    support_inside_mm3: float
    landing_area_mm2: float
    seam_length_mm: float
    seam_in_sight_mm: float
    cut_area_mm2: float
    tallest_mm: float
    flat_pieces: int
    fitting_pieces: int


@dataclass(frozen=True, eq=False)
class Outcome:
    """What a plan comes to.

    notes : sentences for the person; defects : of the whole model, mm, model frame
    approximate : it is of the stand-in
    """

    plan: Plan
    pieces: tuple[Piece, ...]
    seams: dict[str, Seam]
    totals: Totals
    notes: tuple[str, ...]
    defects: Defects
    volume_before_mm3: float | None
    approximate: bool = False
