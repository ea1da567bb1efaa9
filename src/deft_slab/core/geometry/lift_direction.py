"""The direction along which the pieces of a cut come apart without catching."""

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
    """The direction in which the pieces on one side of a cut best leave its face.

    A direction u is free if n . u <= 0 for the outward normals n of all contact faces (casting: de Berg et al.,
    Computational Geometry, chapter 4). Among the free directions it is the one whose smallest angle to the faces is
    largest: towards the point of the convex hull of the -n that is nearest to the origin. If every free direction
    slides along some face, it is the one nearest to the mean way out (a linear program).

    Parameters
    ----------
    pieces : Sequence[Solid]
        The pieces on that side.
    owner : str
        The id of the cut.

    Returns
    -------
    (3,) float64, bool
        The unit direction, and whether no part of the face stands in the way.
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
    """Whether pieces can be pulled out along a direction without colliding with others.

    Parameters
    ----------
    leaving : Sequence[Solid]
        The pieces that are pulled.
    staying : Sequence[Solid]
        The others.
    direction : (3,) float64
        The direction, of length 1.
    """
    moving = manifold3d.Manifold.batch_boolean([piece.manifold for piece in leaving], manifold3d.OpType.Add)
    others = manifold3d.Manifold.batch_boolean([piece.manifold for piece in staying], manifold3d.OpType.Add)
    size = max(piece.diagonal for piece in (*leaving, *staying))
    least = _TOUCH * min(moving.volume(), others.volume())
    return all((moving.translate(tuple(step * size * direction)) ^ others).volume() <= least for step in _STEPS)
