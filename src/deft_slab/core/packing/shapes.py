"""What is laid, on what, and where it lies: plain data of the nesting."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import shapely


@dataclass(frozen=True)
class Sheet:
    """What shapes are laid on.

    Attributes
    ----------
    wide, deep : float, mm
        Deep is infinite where it has no end.
    kept : (x, y, width, depth)
        mm each, that are kept free.
    """

    wide: float
    deep: float
    kept: tuple[tuple[float, float, float, float], ...] = ()


@dataclass(frozen=True)
class Lies:
    """Where a shape lies:

    Attributes
    ----------
    sheet : int
        Its number, from 0 on.
    turn : float, degrees
    x, y : float, mm
        The low corner of its box.
    outside : bool
        It is larger than a sheet, and has one to itself.
    """

    sheet: int
    turn: float
    x: float
    y: float
    outside: bool = False


@dataclass(frozen=True, eq=False)
class Shape:
    """What is laid.

    Attributes
    ----------
    outline : mm
    turns : degrees
        That it may be turned by, the first one wins between equals.
    group : int
        Shapes of different groups do not share a sheet.
    fixed : Lies | None
        Where it is to lie, at all events.
    """

    outline: shapely.MultiPolygon
    turns: tuple[float, ...] = (0.0,)
    group: int = 0
    fixed: Lies | None = None

    @cached_property
    def area(self) -> float:
        """mm2"""
        return float(self.outline.area)

    def turned(self, turn: float) -> shapely.MultiPolygon:
        """It, turned about the origin by degrees, mm."""
        return shapely.affinity.rotate(self.outline, turn, origin=(0.0, 0.0)) if turn else self.outline


@dataclass(frozen=True, eq=False)
class Nested:
    """Attributes
    ----------
    places : tuple[Lies, ...]
        Of the shapes, in their order.
    sheets : int
        How many.
    fill : float
        mm of the last sheet that are used.
    """

    places: tuple[Lies, ...]
    sheets: int
    fill: float

    @property
    def cost(self) -> tuple[int, float]:
        """What is to be small."""
        return self.sheets, self.fill
