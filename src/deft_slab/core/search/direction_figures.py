"""The figures of a piece for many directions, measured on its draft mesh."""

from __future__ import annotations

from dataclasses import fields

import numpy as np

from ..arrays import Floats
from ..evaluate.piece import SearchSubject
from ..figures.batch_figures import Sketches, sketches
from ..geometry.place_on_bed import downs_to_rotations
from ..locale.translate import tr
from ..printers.profile import Printer
from ..progress import QUIET, Job, Spread, for_each
from .results import MapFigures

SWEEP_CELLS, SWEEP_CELLS_OF_FEW = 80, 256
"""Across the longer side of the shadow. (Measured over 50 directions of each demo model, draft mesh and grid together:
support volume within 0.4 % of the whole mesh by the same rule in the median, 2.7 % at worst; 128 cells give 0.3 % and
1.9 %, and take up to 1.7 times as long.)"""
_FEW = 6_000
"""Triangles up to which columns cost little: finer ones are taken, for such meshes are often thin and angular."""
_TOGETHER = 8
"""Directions that one call measures."""


def sweep(
    subject: SearchSubject, directions: Floats, printer: Printer, job: Job = QUIET, spread: Spread = map
) -> MapFigures:
    """The figures of each direction, on the draft mesh, by the soft rule.

    Parameters
    ----------
    directions : (n, 3) float64
        Unit vectors of the model frame that point down.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """

    cells = SWEEP_CELLS if len(subject.light.triangles) > _FEW else SWEEP_CELLS_OF_FEW

    downs = np.asarray(directions, float).reshape(-1, 3)

    def look(downs: Floats) -> Sketches:
        return sketches(
            subject.light, downs_to_rotations(downs), subject.threshold, cells, printer=printer,
            marks=subject.light_marks, lift=subject.lift,
        )

    some = [downs[n : n + _TOGETHER] for n in range(0, len(downs), _TOGETHER)]
    found = for_each(look, some, tr("Trying {count:,} seats", count=len(downs)), job, spread)
    columns = [np.concatenate([getattr(one, f.name) for one in found] or [[]]) for f in fields(Sketches)]
    return MapFigures(downs, *columns)
