"""What is packed, onto what, and where it lies. Plain data."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import shapely


@dataclass(frozen=True)
class Sheet:
    """What shapes are packed onto.

    Attributes
    ----------
    wide, deep : float, mm
        Its size. ``deep`` is infinite if it has no end.
    kept : tuple of (x, y, width, depth), mm
        Areas that are kept free.
    """

    wide: float
    deep: float
    kept: tuple[tuple[float, float, float, float], ...] = ()


@dataclass(frozen=True)
class Lies:
    """Where a shape lies.

    Attributes
    ----------
    sheet : int
        The number of its sheet, from 0 on.
    turn : float, degrees
    x, y : float, mm
        The low corner of its bounding box.
    outside : bool
        Whether it is larger than a sheet, and has one to itself.
    """

    sheet: int
    turn: float
    x: float
    y: float
    outside: bool = False


@dataclass(frozen=True, eq=False)
class Shape:
    """What is packed.

    Attributes
    ----------
    outline : MultiPolygon, mm
    turns : tuple of float, degrees
        The rotations that are allowed. Between equals the first one wins.
    group : int
        Shapes of different groups do not share a sheet.
    fixed : Lies | None
        Where it must lie; None: anywhere.
    """

    outline: shapely.MultiPolygon
    turns: tuple[float, ...] = (0.0,)
    group: int = 0
    fixed: Lies | None = None

    @cached_property
    def area(self) -> float:
        """Its area in mm2."""
        return float(self.outline.area)

    def turned(self, turn: float) -> shapely.MultiPolygon:
        """The outline rotated about the origin, in mm.

        Parameters
        ----------
        turn : float
            Degrees.
        """
        return shapely.affinity.rotate(self.outline, turn, origin=(0.0, 0.0)) if turn else self.outline


@dataclass(frozen=True, eq=False)
class Nested:
    """A result of packing.

    Attributes
    ----------
    places : tuple[Lies, ...]
        Where each shape lies, in the order of the shapes.
    sheets : int
        The number of sheets.
    fill : float
        How much of the last sheet is used, in mm.
    """

    places: tuple[Lies, ...]
    sheets: int
    fill: float

    @property
    def cost(self) -> tuple[int, float]:
        """What is minimised."""
        return self.sheets, self.fill
