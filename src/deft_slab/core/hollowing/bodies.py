"""The bodies of vents and plugs."""

from __future__ import annotations

import math

import manifold3d
import numpy as np

from ..arrays import Floats
from ..geometry.curves import frame_of
from ..plan.hollow import Vent

_SIDES = 48
_OUT = 2.0
"""mm that the body of a vent goes on outside, for the surface around it need not be flat."""
_RIDGE = 0.3
"""Share of the inner radius that a ridge stands out by."""


def as_round(sides: int) -> float:
    """How much larger than a circle a regular polygon must be to have the same area; a polygon inside the circle has
    less.
    """
    return math.sqrt(2.0 * math.pi / (sides * math.sin(2.0 * math.pi / sides)))


def _turned(profile: Floats, vent: Vent) -> manifold3d.Manifold:
    """A body of revolution about the axis of a vent.

    Parameters
    ----------
    profile : (k, 2) float64, mm
        Distance from the axis, and depth along it.
    """
    body = manifold3d.CrossSection([profile * [as_round(_SIDES), 1.0]], manifold3d.FillRule.NonZero).revolve(_SIDES)
    return body.transform(np.column_stack([_frame(vent), np.array(vent.place)]))


def _frame(vent: Vent) -> Floats:
    """Columns: two directions across a vent, and inward.

    Returns
    -------
    (3, 3) float64
    """
    return frame_of(np.array(vent.along)).T


def _tapered(vent: Vent, length: float, end: float, less: float, out: float) -> Floats:
    """The profile of a vent through a wall of some length that continues to an end inside.

    Parameters
    ----------
    length, end, less, out : float, mm
        Length of the wall, the end, by how much the radii are smaller, and how far it continues outside.
    out : float, mm
        Outside.
    """
    outer, inner = vent.outer - less, vent.inner - less
    return np.array([(0.0, -out), (outer, -out), (outer, 0.0), (inner, length), (inner, end), (0.0, end)])


def _ridge(vent: Vent, start: float, end: float, wider: float) -> manifold3d.Manifold:
    """A rod along the side of a plug, which makes it fit one way round only."""
    radius = _RIDGE * vent.inner + wider
    rod = manifold3d.Manifold.cylinder(end - start, radius, radius, 24).translate((vent.inner, 0.0, start))
    return rod.transform(np.column_stack([_frame(vent), np.array(vent.place)]))


def hole(vent: Vent, length: float, gap: float, *, keyed: bool) -> manifold3d.Manifold:
    """What a vent removes: a hole through a wall of some length, continued by its inner radius.

    Parameters
    ----------
    length, gap : float, mm
    keyed : bool
        Whether it has a groove for the ridge of its plug.
    """
    end = length + vent.inner
    body = _turned(_tapered(vent, length, end, 0.0, _OUT), vent)
    return body + _ridge(vent, -_OUT, end, gap) if keyed and vent.plug else body


def plug(vent: Vent, length: float, gap: float, *, keyed: bool) -> manifold3d.Manifold | None:
    """What closes a vent, sticking out of the surface; None if the gap leaves nothing of it.

    Parameters
    ----------
    length, gap : float, mm
    """
    if vent.inner - gap < 0.2:
        return None
    body = _turned(_tapered(vent, length, length, gap, _OUT), vent)
    return body + _ridge(vent, -_OUT, length, 0.0) if keyed else body
