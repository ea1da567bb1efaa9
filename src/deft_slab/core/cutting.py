"""Cuts, as documents: where a model is parted. Lengths in mm, points and directions in the model frame.

A kind of cut is one model here and one function in ``shape.cutters``.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, field_validator, model_validator

from .documents import Document, Name, Triple, of_length_one
from .marking import Region
from .tilt import Tilt

Floats = NDArray[np.float64]

MOST_POINTS = 400
MOST_WALLS = 60
MOST_CELLS = 1000


class Side(Document):
    """A side of a cut. Of one that parts in two: +1 where its normal points to, or inside it; -1 behind or outside it.
    Of a block cut: the number of the cell; of a cut into bodies: the number of the body; from 0 on."""

    cut: Name
    side: int = Field(ge=-1, le=1_000_000)


class PieceReach(Document):
    """Only the piece that lies on these sides of earlier cuts."""

    kind: Literal["piece"] = "piece"
    sides: tuple[Side, ...]


class _Placed(Document):
    """centre : its middle; half : half its sides along its own axes; turn : from the model's axes to its own"""

    centre: Triple
    half: Triple
    turn: Tilt = Tilt()

    @field_validator("half")
    @classmethod
    def _has_size(cls, half: Triple) -> Triple:
        if min(half) < 1e-6:
            raise ValueError("it must have a size along each axis")
        return half


class BoxReach(_Placed):
    """Only what lies in a box."""

    kind: Literal["box"] = "box"


class OutlineReach(Document):
    """Only what lies within a drawn outline, seen along a direction. points : of the outline; view : from the eye"""

    kind: Literal["outline"] = "outline"
    points: tuple[Triple, ...] = Field(min_length=3, max_length=MOST_POINTS)
    view: Triple

    @field_validator("view")
    @classmethod
    def _of_unit_length(cls, view: Triple) -> Triple:
        return of_length_one(view, "the view of an outline")


class RegionReach(Document):
    """Only what lies in the hull of a picked region of the surface, and ``margin`` mm around it."""

    kind: Literal["region"] = "region"
    region: Region
    margin: float = Field(default=2.0, gt=0, le=1000)


Reach = Annotated[PieceReach | BoxReach | OutlineReach | RegionReach, Field(discriminator="kind")]


class _Cut(Document):
    """What all cuts have. on : whether it is made; kerf : mm of material that it removes; crumbs : what becomes of
    loose fragments that it leaves by accident; reach : where it stops, None where it goes through everything"""

    id: Name
    name: Name
    on: bool = True
    kerf: float = Field(default=0.0, ge=0, le=50)
    crumbs: Literal["keep", "neighbour", "drop"] = "keep"
    reach: Reach | None = None

    @property
    def two_sided(self) -> bool:
        """Whether its sides are +1 and -1, and not numbers of cells or bodies."""
        return True

    @property
    def bounded(self) -> bool:
        """Whether it stops at a place; one that only meets some pieces does not."""
        return self.reach is not None and self.reach.kind != "piece"


class StraightCut(_Cut):
    """A flat cut: points p with normal . p = offset."""

    kind: Literal["straight"] = "straight"
    normal: Triple
    offset: float

    @field_validator("normal")
    @classmethod
    def _of_unit_length(cls, normal: Triple) -> Triple:
        return of_length_one(normal, "the normal of a cut")


class BlockCut(_Cut):
    """Cells between walls. turn : from the model's axes to those of the cells
    x : places of the walls across its first axis; y : of those across the second one, the same in all slabs or a list
    for each; z : across the third, the same everywhere or a list for each column, in the order of x and then y
    """

    kind: Literal["block"] = "block"
    turn: Tilt = Tilt()
    x: tuple[float, ...] = Field(default=(), max_length=MOST_WALLS)
    y: tuple[tuple[float, ...], ...] = ((),)
    z: tuple[tuple[float, ...], ...] = ((),)

    @model_validator(mode="after")
    def _has_walls(self) -> BlockCut:
        for walls in (self.x, *self.y, *self.z):
            if len(walls) > MOST_WALLS:
                raise ValueError(f"at most {MOST_WALLS} walls along an axis")
            if any(b - a <= 1e-9 for a, b in zip(walls, walls[1:], strict=False)):
                raise ValueError("the walls of a block cut must rise, with room between them")
        if len(self.y) not in (1, len(self.x) + 1):
            raise ValueError("the walls across the second axis must be one list, or a list for each slab")
        if len(self.z) != 1 and len(self.z) != sum(len(self.y_of(slab)) + 1 for slab in range(len(self.x) + 1)):
            raise ValueError("the walls across the third axis must be one list, or a list for each column")
        if not any((self.x, *self.y, *self.z)):
            raise ValueError("a block cut needs a wall")
        if self.cells > MOST_CELLS:
            raise ValueError(f"at most {MOST_CELLS:,} cells in a block cut; these walls make {self.cells:,}")
        return self

    @property
    def cells(self) -> int:
        """How many there are."""
        columns = sum(len(self.y_of(slab)) + 1 for slab in range(len(self.x) + 1))
        return sum(len(self.z_of(column)) + 1 for column in range(columns))

    @property
    def two_sided(self) -> bool:
        return False

    def walls(self, axis: int) -> tuple[tuple[float, ...], ...]:
        """The lists of walls across one of its axes: one for all, or one for each slab or column."""
        return (self.x,) if axis == 0 else (self.y, self.z)[axis - 1]

    def y_of(self, slab: int) -> tuple[float, ...]:
        return self.y[slab if len(self.y) > 1 else 0]

    def z_of(self, column: int) -> tuple[float, ...]:
        return self.z[column if len(self.z) > 1 else 0]


def walls_as(axis: int, lists: tuple[tuple[float, ...], ...]) -> dict[str, Any]:
    """What changes of a block cut with other lists of walls across one of its axes."""
    return {"xyz"[axis]: lists[0] if axis == 0 else lists}


class BoxCut(_Cut, _Placed):
    """What lies in one free box."""

    kind: Literal["box"] = "box"


class BentCut(_Cut):
    """A smooth sheet through a line that is drawn on the model. line : points of it
    closed : a loop around a limb, and the sheet spans it; else the sheet goes on along ``view``, away from the eye, and
    beyond both ends of the line
    splay : degrees by which the sheet leans off the view, all along the line; smooth : 0 keeps corners, 1 rounds most
    """

    kind: Literal["bent"] = "bent"
    line: tuple[Triple, ...] = Field(min_length=2, max_length=MOST_POINTS)
    view: Triple = (0.0, 1.0, 0.0)
    closed: bool = False
    splay: float = Field(default=0.0, ge=-60, le=60)
    smooth: float = Field(default=1.0, ge=0, le=1)

    @field_validator("view")
    @classmethod
    def _of_unit_length(cls, view: Triple) -> Triple:
        return of_length_one(view, "the view of a bent cut")

    @model_validator(mode="after")
    def _is_a_line(self) -> BentCut:
        if self.closed and len(self.line) < 3:
            raise ValueError("a loop needs at least three points")
        return self


class ScoopCut(_Cut, _Placed):
    """A dish or sleeve around a feature. shape : "ball", an ellipsoid; "round-ended", a cylinder along the third of its
    axes with half balls on its ends; "region", all that is within ``margin`` of a picked region
    centre, half, turn : of the first two; a round-ended one is as wide as the first two of ``half``
    """

    kind: Literal["scoop"] = "scoop"
    shape: Literal["ball", "round-ended", "region"] = "ball"
    centre: Triple = (0.0, 0.0, 0.0)
    half: Triple = (10.0, 10.0, 10.0)
    region: Region | None = None
    margin: float = Field(default=3.0, gt=0, le=1000)

    @model_validator(mode="after")
    def _has_its_region(self) -> ScoopCut:
        if (self.shape == "region") != (self.region is not None):
            raise ValueError("a scoop is either a shape or around a region")
        return self


class LiftOffCut(_Cut):
    """A raised ornament taken off at its foot. region : its surface; pocket : mm that it goes into the body, 0 for a
    flat back on the foot; direction : which way it is lifted, None: the way that its region faces on the whole"""

    kind: Literal["lift-off"] = "lift-off"
    region: Region
    pocket: float = Field(default=0.0, ge=0, le=100)
    direction: Triple | None = None

    @field_validator("direction")
    @classmethod
    def _of_unit_length(cls, direction: Triple | None) -> Triple | None:
        return None if direction is None else of_length_one(direction, "the direction of a lift-off cut")


class BodiesCut(_Cut):
    """What does not hang together becomes pieces of its own."""

    kind: Literal["bodies"] = "bodies"

    @property
    def two_sided(self) -> bool:
        return False


Cut = Annotated[
    StraightCut | BlockCut | BoxCut | BentCut | ScoopCut | LiftOffCut | BodiesCut, Field(discriminator="kind")
]
"""Any kind of cut."""

Movable = StraightCut | BentCut | BlockCut
"""Those whose seam can be settled."""
