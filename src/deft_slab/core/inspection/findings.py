"""What was found of a piece before it is printed. Plain data, light to load, able to travel between processes.

``at`` is (x, y, z) in mm on the bed, as the piece sits and before it is laid beside others; ``place`` is the same point
of the model, in mm.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, ClassVar, Literal

import numpy as np

from ..arrays import Floats, Ints32
from ..document.marks import FoundKind, LeftAlone
from ..locale.translate import tr

if TYPE_CHECKING:
    from ..printers.profile import Printer

Point = tuple[float, float, float]

ATMOSPHERE = 0.1
"""N/mm2: the most that a cup can pull, about one atmosphere."""


NEAR = 1.0
"""mm on the model within which something is what was left on purpose."""


@dataclass(frozen=True)
class Finding:
    """Something that was found.

    Attributes
    ----------
    left : bool
        A person has said that it may stay.
    kind : ClassVar[FoundKind]
        As ``LeftAlone`` calls it.
    word : ClassVar[str]
        As a sentence does.
    """

    kind: ClassVar[FoundKind]
    word: ClassVar[str]
    at: Point
    place: Point
    left: bool = field(default=False, kw_only=True)

    def is_left_by(self, alone: LeftAlone, factors: Floats) -> bool:
        """Whether that is what was left.

        Parameters
        ----------
        factors : (3,) float64, mm
            In one unit of the file.
        """
        return alone.kind == self.kind and math.dist(self.place, np.array(alone.place) * factors) <= NEAR


@dataclass(frozen=True)
class Island(Finding):
    """A part of a layer that nothing of the layer below holds.

    Attributes
    ----------
    layer : int
        Its number, from 0 on.
    z : float
        mm over the bed, where it begins.
    area : float, mm2
        There.
    grows : float, mm2
        The largest that it becomes before it meets the rest.
    hangs : int
        Layers until then.
    meets : bool
        Whether it ever does.
    held : str
        By what it is held all the same, "" if by nothing.
    small : bool
        It stays under the size limit.
    """

    kind = "island"
    word = tr("an island")
    layer: int
    z: float
    area: float
    grows: float
    hangs: int
    meets: bool
    held: str = ""
    small: bool = False


PocketKind = Literal["opens", "open at its top", "trapped", "sealed by the plate"]


@dataclass(frozen=True)
class Pocket(Finding):
    """Air that the part closes in, through the layers printed so far.

    Attributes
    ----------
    becomes : PocketKind
        What does of it.
    begins, opens : float
        mm over the bed, opens is None where it never does.
    z : float
        Where it is largest while it is closed.
    area : float, mm2
        There.
    volume : float, mm3
        While it is closed.
    """

    kind = "pocket"
    word = tr("a pocket")
    becomes: PocketKind
    begins: float
    opens: float | None
    z: float
    area: float
    volume: float

    @property
    def trapped(self) -> bool:
        """Whether what is in it stays in it."""
        return self.becomes == "trapped"

    def counts(self, printer: Printer) -> bool:
        """Whether it is more than may be: on any printer what is closed for good, on a resin printer a cup that is
        large, and so deep that the film cannot follow into it.
        """
        if self.trapped:
            return self.volume >= printer.least_void
        return printer.kind == "resin" and self.area > printer.most_cup and self.depth >= printer.cup_depth

    @property
    def depth(self) -> float:
        """mm, on the whole: its volume over its area."""
        return self.volume / self.area if self.area > 0 else 0.0

    @property
    def pull(self) -> float:
        """N, the most that it can pull."""
        return ATMOSPHERE * self.area


@dataclass(frozen=True)
class Jump(Finding):
    """A layer that peels off much more than the one below.

    Attributes
    ----------
    z : float, mm
    growth, peel : float, mm2
        Of the layer.
    """

    kind = "jump"
    word = tr("a jump")
    z: float
    growth: float
    peel: float


@dataclass(frozen=True)
class Neck(Finding):
    """The smallest layer under a much larger one.

    Attributes
    ----------
    z : float, mm
    area, above : float, mm2
    """

    kind = "neck"
    word = tr("a neck")
    z: float
    area: float
    above: float

    @property
    def share(self) -> float:
        """How small it is, of what stands on it."""
        return self.area / self.above if self.above > 0 else 1.0


@dataclass(frozen=True)
class ThinWall(Finding):
    """A wall that is thinner than prints well.

    Attributes
    ----------
    least : float, mm
    area : float
        mm2 of the surface on it.
    z : float
        mm over the bed.
    held : bool
        Support touches it, and may take it along when it comes off.
    """

    kind = "thin wall"
    word = tr("a thin wall")
    least: float
    area: float
    z: float
    held: bool = False


@dataclass(frozen=True)
class Groove(Finding):
    """A part of a seam that no file gets at.

    Attributes
    ----------
    length : float, mm
    cut : str
        Whose.
    """

    kind = "groove"
    word = tr("a groove")
    length: float
    cut: str


@dataclass(frozen=True)
class Steadiness:
    """How a piece stands.

    Attributes
    ----------
    tips : float, degrees
    slender : float
        Height for one of the narrowest width of its base, inf where it stands on a point or an edge.
    push : float, N
        Sideways at its highest point, that tips it (its weight times how far its centre of mass lies within the
        base, over its height).
    foot : float, mm2
        That it rests on.
    """

    tips: float
    slender: float
    push: float
    foot: float


@dataclass(frozen=True, eq=False)
class Inspection:
    """One piece, layer by layer.

    Attributes
    ----------
    number : int
        Of the piece, from 0 on.
    thickness : float, mm
        Of a layer.
    base, height : float
        mm over the bed.
    areas, peel : (layers,) float64, mm2
    begins : (k, 4) float64
        Where its surface begins with solid above it: x, y, z on the bed, and mm that it hangs until it meets
        what began lower (inf: never).
    problem : str
        Why its layers cannot be looked at, empty where they can.
    """

    number: int
    name: str
    thickness: float
    base: float
    height: float
    areas: Floats
    peel: Floats
    begins: Floats
    islands: tuple[Island, ...] = ()
    pockets: tuple[Pocket, ...] = ()
    jumps: tuple[Jump, ...] = ()
    necks: tuple[Neck, ...] = ()
    thin: tuple[ThinWall, ...] = ()
    grooves: tuple[Groove, ...] = ()
    steadiness: Steadiness | None = None
    problem: str = ""

    @property
    def layers(self) -> int:
        """How many it has."""
        return len(self.areas)

    @property
    def unheld(self) -> tuple[Island, ...]:
        """Islands that nothing holds, over the size limit and not left on purpose."""
        return tuple(one for one in self.islands if not one.held and not one.small and not one.left)

    @property
    def found(self) -> tuple[Finding, ...]:
        """All that has a place."""
        return (*self.islands, *self.pockets, *self.jumps, *self.necks, *self.thin, *self.grooves)


@dataclass(frozen=True, eq=False)
class SectionFace:
    """The section of a piece at a height.

    Attributes
    ----------
    number : int
        Of the piece, from 0 on.
    z : float
        mm over the bed.
    area : float, mm2
    lines : (k, 2)
        mm each, on the bed, as the piece sits.
    vertices, triangles : array of float64
        The filled face, mm, model frame.
    """

    number: int
    z: float
    area: float
    lines: tuple[Floats, ...]
    vertices: Floats
    triangles: Ints32


@dataclass(frozen=True)
class LayerTotals:
    """Of all pieces of a plan.

    Attributes
    ----------
    islands : int
        That nothing holds.
    cup_mm2 : float
        The largest.
    """

    islands: int
    cup_mm2: float

    @classmethod
    def of(cls, pieces: Sequence[Inspection], cup_depth: float) -> LayerTotals:
        """Of what was found of the pieces.

        Parameters
        ----------
        cup_depth : float, mm
            A flatter pocket is no cup.
        """
        pockets = [pocket for piece in pieces for pocket in piece.pockets if not pocket.left]
        cups = [pocket.area for pocket in pockets if not pocket.trapped and pocket.depth >= cup_depth]
        return cls(sum(len(piece.unheld) for piece in pieces), max(cups, default=0.0))
