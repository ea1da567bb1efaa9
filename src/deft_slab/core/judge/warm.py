"""Compiles the kernels ahead of use (``python -m deft_slab.core.judge.warm``); the compiled code is kept on disk."""

from __future__ import annotations

import numpy as np

from ..solid import Solid
from .exposure import exposure
from .figures import measure, sketch
from .marks import unmarked
from .parting import every_place, parted_figures, posed
from .skin import support_skin


def warm() -> None:
    """Runs every kernel once on a small body."""
    corners = np.array([[10, 0, 0], [-10, 0, 0], [0, 10, 0], [0, -10, 0], [0, 0, 5], [0, 0, -5]], float)
    upper = [[0, 2, 4], [2, 1, 4], [1, 3, 4], [3, 0, 4]]
    lower = [[2, 0, 5], [1, 2, 5], [3, 1, 5], [0, 3, 5]]
    solid = Solid(corners, np.array(upper + lower, np.int32))
    seen = exposure(solid, directions=2, cells=8)
    sketch(solid, np.eye(3), 45.0, 8)
    measured = measure(solid, np.eye(3), exposed=seen, cells=8)
    support_skin(measured.columns, measured.floors)
    up, none = np.array([0.0, 0.0, 1.0]), unmarked(len(solid.triangles))
    every_place(solid, up, np.array([-1.0, 1.0]), 45.0, none, seen, 8)
    parted_figures(posed(solid, -up, 45.0, none, 8), solid, up, 1.0, 45.0)


if __name__ == "__main__":
    warm()
