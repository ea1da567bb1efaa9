"""What the check finds on a piece. Plain data, quick to import, which can be sent between processes.

``at`` is (x, y, z) in mm on the bed, with the piece in its seat and before it is laid beside others; ``place`` is the
same point of the model, in mm.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, ClassVar, Literal

import numpy as np

from ..arrays import Floats, Ints32
from ..document.base import Triple
from ..document.marks import FoundKind, LeftAlone
from ..locale.translate import tr

if TYPE_CHECKING:
    from ..printers.profile import Printer

ATMOSPHERE = 0.1
"""N/mm2: the most that a cup can pull, about one atmosphere."""


NEAR = 1.0
"""mm on the model within which something is what was left on purpose."""


@dataclass(frozen=True)
class Finding:
    """Something that the check found.

    Attributes
    ----------
    kind : ClassVar[FoundKind]
        What kind of finding it is, as in ``LeftAlone``.
    word : ClassVar[str]
        What it is called in a sentence.
    left : bool
        Whether the user has accepted it.
    """

    kind: ClassVar[FoundKind]
    word: ClassVar[str]
    at: Triple
    place: Triple
    left: bool = field(default=False, kw_only=True)

    def is_left_by(self, alone: LeftAlone, factors: Floats) -> bool:
        """Whether it is the finding that the user accepted.

        Parameters
        ----------
        alone : LeftAlone
            What the user accepted.
        factors : (3,) float64, mm
            Millimetres in one unit of the file along each axis.
        """
        return alone.kind == self.kind and math.dist(self.place, np.array(alone.place) * factors) <= NEAR


@dataclass(frozen=True)
class Island(Finding):
    """A part of a layer that nothing in the layer below holds.

    Attributes
    ----------
    layer : int
        The number of the layer, from 0 on.
    z : float
        The height over the bed at which it begins, in mm.
    area : float, mm2
        Its area there.
    grows : float, mm2
        The largest area that it reaches before it meets the rest.
    hangs : int
        The number of layers until then.
    meets : bool
        Whether it ever meets the rest.
    held : str
        What holds it nevertheless; empty if nothing does.
    small : bool
        Whether it stays under the size limit.
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
    """Air that the piece closes in, considering only the layers printed so far.

    Attributes
    ----------
    becomes : PocketKind
        What becomes of it later.
    begins, opens : float
        Heights over the bed in mm. ``opens`` is None if it never opens.
    z : float
        The height at which it is largest while it is closed.
    area : float, mm2
        Its area there.
    volume : float, mm3
        Its volume while it is closed.
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
        """Whether its contents stay inside for good."""
        return self.becomes == "trapped"

    def counts(self, printer: Printer) -> bool:
        """Whether it is a problem: on any printer if it is closed for good; on a resin printer also if it is a cup
        that is large, and so deep that the film cannot follow into it.
        """
        if self.trapped:
            return self.volume >= printer.least_void
        return printer.kind == "resin" and self.area > printer.most_cup and self.depth >= printer.cup_depth

    @property
    def depth(self) -> float:
        """The mean depth in mm: its volume over its area."""
        return self.volume / self.area if self.area > 0 else 0.0

    @property
    def pull(self) -> float:
        """The greatest force with which it can pull, in N."""
        return ATMOSPHERE * self.area


@dataclass(frozen=True)
class Jump(Finding):
    """A layer that peels off much more area than the one below.

    Attributes
    ----------
    z : float, mm
    growth, peel : float, mm2
        By how much the area grows, and the area that peels off.
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
        The area of the neck, and of the large layer above it.
    """

    kind = "neck"
    word = tr("a neck")
    z: float
    area: float
    above: float

    @property
    def share(self) -> float:
        """The area of the neck as a share of the layer above."""
        return self.area / self.above if self.above > 0 else 1.0


@dataclass(frozen=True)
class ThinWall(Finding):
    """A wall too thin to print well.

    Attributes
    ----------
    least : float, mm
        Its least thickness.
    area : float
        The area of the surface over it, in mm2.
    z : float
        The height over the bed, in mm.
    held : bool
        Whether support touches it, and may take it along when it is removed.
    """

    kind = "thin wall"
    word = tr("a thin wall")
    least: float
    area: float
    z: float
    held: bool = False


@dataclass(frozen=True)
class Groove(Finding):
    """A part of a seam that no file reaches.

    Attributes
    ----------
    length : float, mm
        The length of the part.
    cut : str
        The id of the cut.
    """

    kind = "groove"
    word = tr("a groove")
    length: float
    cut: str


@dataclass(frozen=True)
class Steadiness:
    """How steadily a piece stands.

    Attributes
    ----------
    tips : float, degrees
        By how many degrees it can be tipped.
    slender : float
        Its height divided by the narrowest width of its base; inf if it stands on a point or an edge.
    push : float, N
        The sideways force at its highest point that tips it over: its weight times the distance of its centre of
        mass inside the edge of the base, divided by its height.
    foot : float, mm2
        The area that it rests on.
    """

    tips: float
    slender: float
    push: float
    foot: float


@dataclass(frozen=True, eq=False)
class Inspection:
    """The check of one piece, layer by layer.

    Attributes
    ----------
    number : int
        The number of the piece, from 0 on.
    thickness : float, mm
        The thickness of a layer.
    base, height : float
        Heights over the bed of its lowest and highest point, in mm.
    areas, peel : (layers,) float64, mm2
        The area of each layer, and the area that peels off with it.
    begins : (k, 4) float64
        Where its surface begins with solid above it: x, y, z on the bed, and how far it hangs until it meets what
        began lower, in mm (inf: never).
    problem : str
        Why its layers cannot be examined; empty if they can.
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
        """The number of layers."""
        return len(self.areas)

    @property
    def unheld(self) -> tuple[Island, ...]:
        """The islands that nothing holds, that are over the size limit and not accepted."""
        return tuple(one for one in self.islands if not one.held and not one.small and not one.left)

    @property
    def found(self) -> tuple[Finding, ...]:
        """All findings that have a place."""
        return (*self.islands, *self.pockets, *self.jumps, *self.necks, *self.thin, *self.grooves)


@dataclass(frozen=True, eq=False)
class SectionFace:
    """The section of a piece at a height.

    Attributes
    ----------
    number : int
        The number of the piece, from 0 on.
    z : float
        The height over the bed, in mm.
    area : float, mm2
    lines : list of (k, 2) float64, mm, on the bed
        Its outlines.
    vertices, triangles : array of float64
        The filled section, in mm, model frame.
    """

    number: int
    z: float
    area: float
    lines: tuple[Floats, ...]
    vertices: Floats
    triangles: Ints32


@dataclass(frozen=True)
class LayerTotals:
    """The totals over all pieces of a plan.

    Attributes
    ----------
    islands : int
        The number of islands that nothing holds.
    cup_mm2 : float
        The area of the largest cup.
    """

    islands: int
    cup_mm2: float

    @classmethod
    def of(cls, pieces: Sequence[Inspection], cup_depth: float) -> LayerTotals:
        """The totals of some inspections.

        Parameters
        ----------
        cup_depth : float, mm
            A flatter pocket is not a cup.
        """
        pockets = [pocket for piece in pieces for pocket in piece.pockets if not pocket.left]
        cups = [pocket.area for pocket in pockets if not pocket.trapped and pocket.depth >= cup_depth]
        return cls(sum(len(piece.unheld) for piece in pieces), max(cups, default=0.0))
