"""The layers of everything that lies on a bed, from the bottom up, one at a time."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ...arrays import Floats, Ints
from ...errors import BadPlan, OpenSurface
from ...layers.sections import Levels, Sections, Slicer
from ...locale.translate import tr
from ...printers.profile import Printer
from ...results.outcome import Piece
from ..layout import Laid

_OVER = 1e-3
"""mm by which a piece may stick out: rounding."""


@dataclass(frozen=True, eq=False)
class Layer:
    """A layer.

    Attributes
    ----------
    bottom, top : float
        Heights over the bed, in mm. The section is taken at ``middle``.
    points : (k, 2) float64, mm, on the bed
        The points of all closed lines.
    start : (lines + 1,) int64
        Where each closed line begins. Its solid side is on the left.
    """

    number: int
    bottom: float
    top: float
    points: Floats
    start: Ints

    @property
    def area(self) -> float:
        """The area in mm², if the lines do not overlap."""
        return self._sum(lambda a, b: 0.5 * (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]))

    @property
    def around(self) -> float:
        """The length of all lines, in mm."""
        return self._sum(lambda a, b: np.asarray(np.linalg.norm(b - a, axis=1)))

    def _sum(self, of: Callable[[Floats, Floats], Floats]) -> float:
        following = np.arange(1, len(self.points) + 1)
        following[self.start[1:] - 1] = self.start[:-1]
        return float(of(self.points, self.points[following]).sum()) if len(self.points) else 0.0


@dataclass(frozen=True, eq=False)
class Stack:
    """Bodies that are printed together.

    Attributes
    ----------
    slicers : tuple[Slicer, ...]
        One for each body, in the frame of the bed.
    thickness : float, mm
        The thickness of a layer.
    """

    slicers: tuple[Slicer, ...]
    thickness: float

    @cached_property
    def levels(self) -> Levels:
        """The layers' heights, from the bed up to the highest point."""
        return Levels(0.0, self.thickness, max(float(one.vertices[:, 2].max()) for one in self.slicers))

    def layers(self) -> Iterator[Layer]:
        """Yield the layers from the bottom up. The memory needed does not grow with their number."""
        walks = [_each(one.runs(self.levels.middles)) for one in self.slicers]
        for number in range(self.levels.count):
            yield self._of_lines(number, [line for walk in walks for line in next(walk)])

    def layer(self, number: int) -> Layer:
        """A layer by its number, from 0 on; the highest layer for a larger number."""
        number = min(number, self.levels.count - 1)
        z = float(self.levels.middles[number])
        return self._of_lines(number, [line for one in self.slicers for line in next(_each(iter([one.at(z)])))])

    def _of_lines(self, number: int, lines: list[Floats]) -> Layer:
        start = np.concatenate([[0], np.cumsum([len(line) for line in lines])]).astype(np.int64)
        points = np.concatenate(lines) if lines else np.empty((0, 2))
        bottom = self.levels.bottom(number)
        return Layer(number, bottom, bottom + self.thickness, points, start)


def _each(runs: Iterator[Sections]) -> Iterator[list[Floats]]:
    """Yield the closed lines of one layer after another."""
    for run in runs:
        for layer in range(len(run)):
            yield [line for line in run.lines(layer) if len(line) > 2]


def stack_of(pieces: Sequence[Piece], own: Sequence[Laid], printer: Printer) -> Stack:
    """The bodies on a bed, with layers of the usual thickness.

    Parameters
    ----------
    own : Sequence[Laid]
        What lies on that bed.

    Raises
    ------
    OpenSurface
        A piece has no layers, because its surface is open.
    BadPlan
        A piece extends beyond the bed, and its layers would be cut off.
    """
    slicers, room = [], np.array([printer.bed_x, printer.bed_y, printer.height])
    for one in own:
        piece = pieces[one.piece]
        if not piece.solid.closed:
            raise OpenSurface(tr("{name} has no layers, because its surface is not closed.", name=piece.name),
                              kept=tr("Nothing was written."),
                              remedy=tr("Mend it first."))
        placed = piece.solid.vertices @ one.rotation.T + one.shift - [one.bed_x, 0.0, 0.0]
        # with its posts it is another body than the one that was laid, and stands on the bed
        placed[:, 2] += piece.lift - placed[:, 2].min()
        if (placed < -_OVER).any() or (placed > room + _OVER).any():
            problem = tr("{name} extends beyond the bed, so its layers would be cut off.", name=piece.name)
            raise BadPlan(
                problem, kept=tr("Nothing was written."), remedy=tr("Cut it smaller, or leave the layers out.")
            )
        slicers.append(Slicer.of(piece.solid, placed))
    return Stack(tuple(slicers), printer.layer_height)
