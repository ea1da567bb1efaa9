"""Lifting off: the direction along which the pieces of a cut come apart without catching."""

from __future__ import annotations

from collections.abc import Sequence

import manifold3d
import numpy as np

from ..arrays import Floats
from ..mesh.solid import Solid

_CATCHES = 0.02
"""Cosine: contact faces that lean so little against the direction are rounding and facets, and do not catch."""
_STEPS = (0.01, 0.05, 0.15, 0.4)
"""Shares of the diagonal at which a piece on its way is looked at."""
_TOUCH = 1e-5
"""Share of the smaller volume by which solids may overlap on their way and still only slide along each other."""


def lift_direction(pieces: Sequence[Solid], owner: str) -> tuple[Floats, bool]:
    """((3,) the unit direction in which pieces on one side of a cut leave its face best, whether no part of that face
    stands in their way).

    A direction u is free where n . u <= 0 for all outward normals n of the contact faces (casting: de Berg et al.,
    Computational Geometry, chapter 4). Of these it is the one with the largest least angle to the faces: that towards
    the point nearest to the origin of the convex hull of the -n. Where all free ones slide along some face, it is the
    one nearest to the mean way out (a linear program).

    Parameters
    ----------
    owner : str
        Id of the cut.
    """
    chosen = [piece.by(owner) for piece in pieces]
    normals = np.concatenate([piece.normals[own] for piece, own in zip(pieces, chosen, strict=True)])
    areas = np.concatenate([piece.areas[own] for piece, own in zip(pieces, chosen, strict=True)])
    if not areas.sum() > 0:
        return np.array([0.0, 0.0, 1.0]), False
    from scipy.optimize import linprog, nnls  # slow to load, and wanted once something is cut

    # slivers of the boolean's triangulation have normals of noise
    few = np.unique(np.round(normals[areas > 1e-6 * areas.sum()], 2), axis=0)
    heavy = 1e3
    weights, _ = nnls(np.vstack([-few.T, np.full(len(few), heavy)]), np.array([0.0, 0.0, 0.0, heavy]), maxiter=3000)
    nearest = -few.T @ weights
    if np.linalg.norm(nearest) > _CATCHES:
        direction = nearest / np.linalg.norm(nearest)
        return direction, bool((few @ direction).max() <= _CATCHES)
    mean = -(areas @ normals)
    length = float(np.linalg.norm(mean))
    mean = mean / length if length > 1e-9 * areas.sum() else np.array([0.0, 0.0, 1.0])
    found = linprog(-mean, few, np.full(len(few), _CATCHES), bounds=[(-1, 1)] * 3)
    if found.status == 0 and np.linalg.norm(found.x) > 0.1:
        return found.x / np.linalg.norm(found.x), True
    return mean, False


def leaves_freely(leaving: Sequence[Solid], staying: Sequence[Solid], direction: Floats) -> bool:
    """Whether pieces can be drawn out along a direction without running into others on their way.

    Parameters
    ----------
    direction : (3,) float64
        Unit.
    """
    moving = manifold3d.Manifold.batch_boolean([piece.manifold for piece in leaving], manifold3d.OpType.Add)
    others = manifold3d.Manifold.batch_boolean([piece.manifold for piece in staying], manifold3d.OpType.Add)
    size = max(piece.diagonal for piece in (*leaving, *staying))
    least = _TOUCH * min(moving.volume(), others.volume())
    return all((moving.translate(tuple(step * size * direction)) ^ others).volume() <= least for step in _STEPS)
