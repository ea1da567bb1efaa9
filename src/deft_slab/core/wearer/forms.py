"""Forms of a wearer, made from one measure each. ``MAKERS`` is the registry.

Own shapes. Their proportions are means of adult men as far as they are remembered from Gordon et al. 2014, 2012
Anthropometric Survey of U.S. Army Personnel (NATICK/TR-15/007): head length 199, breadth 154, girth 574, chin to top
232; hand length 194, breadth 88; forearm girth 310, wrist girth 176 mm. People differ; the girth is what counts.
All forms stand upright, +Z up, and look towards -Y.
"""

from __future__ import annotations

from collections.abc import Callable

import manifold3d
import numpy as np
from scipy.interpolate import PchipInterpolator

from ..arrays import Floats
from ..mesh.solid import Solid

_AROUND = 72


# (height, half breadth, half length, middle towards the back), in girths
_HEAD = (
    (0.1650, 0.0010, 0.0010, 0.010), (0.1620, 0.0270, 0.0340, 0.010), (0.1530, 0.0520, 0.0660, 0.010),
    (0.1300, 0.0880, 0.1120, 0.009), (0.0900, 0.1180, 0.1500, 0.005), (0.0450, 0.1305, 0.1690, 0.001),
    (0.0000, 0.1342, 0.1734, 0.000), (-0.0350, 0.1320, 0.1680, 0.000), (-0.0700, 0.1260, 0.1580, -0.002),
    (-0.1100, 0.1180, 0.1420, -0.010), (-0.1500, 0.1080, 0.1290, -0.020), (-0.1900, 0.0920, 0.1180, -0.031),
    (-0.2250, 0.0760, 0.1060, -0.034), (-0.2390, 0.0740, 0.0960, -0.020), (-0.2550, 0.0790, 0.0870, 0.008),
    (-0.2900, 0.0810, 0.0840, 0.020), (-0.3300, 0.0860, 0.0880, 0.026),
)
_SQUARENESS = 2.3
"""Exponent of the superellipse of the head's sections; with it, breadth, length and girth agree with the source."""

_FOREARM = (
    (0.870, 0.0840, 0.0900), (0.700, 0.1050, 0.1080), (0.500, 0.1400, 0.1450), (0.330, 0.1570, 0.1613),
    (0.200, 0.1540, 0.1570), (0.080, 0.1470, 0.1500), (0.000, 0.1400, 0.1480),
)
# (height, half breadth, half depth), in girths: wrist up, elbow down


def _loft(levels: Floats, squareness: float, fine: int) -> Floats:
    """Rings, smooth between given sections, in the unit of the sections.

    Returns
    -------
    (fine, around, 3) float64
    """
    height = levels[:, 0]
    order = np.argsort(height)
    curve = PchipInterpolator(height[order], levels[order, 1:])
    # more rings where the section changes fast: at the ends
    share = 0.5 - 0.5 * np.cos(np.linspace(0, np.pi, fine))
    z = height.min() + (height.max() - height.min()) * share
    breadth, length, back = curve(z).T if levels.shape[1] == 4 else (*curve(z).T, np.zeros(fine))
    angle = 2 * np.pi * np.arange(_AROUND) / _AROUND
    cosine, sine = np.cos(angle), np.sin(angle)
    reach = (np.abs(cosine) ** squareness + np.abs(sine) ** squareness) ** (-1 / squareness)
    x = breadth[:, None] * (reach * cosine)
    y = back[:, None] + length[:, None] * (reach * sine)
    return np.stack([x, y, np.broadcast_to(z[:, None], x.shape)], axis=-1)


def _closed(rings: Floats) -> Solid:
    """Rings joined from bottom to top, with both ends closed by a fan."""
    count, around, _ = rings.shape
    low, high = rings[0].mean(axis=0), rings[-1].mean(axis=0)
    vertices = np.concatenate([rings.reshape(-1, 3), low[None], high[None]])
    number = np.arange(count * around).reshape(count, around)
    a, b = number[:-1], np.roll(number[:-1], -1, axis=1)
    c, d = number[1:], np.roll(number[1:], -1, axis=1)
    sides = np.concatenate([np.stack([a, b, d], axis=-1).reshape(-1, 3), np.stack([a, d, c], axis=-1).reshape(-1, 3)])
    foot, top = number[0], number[-1]
    bottom = np.stack([np.roll(foot, -1), foot, np.full(around, count * around)], axis=1)
    lid = np.stack([top, np.roll(top, -1), np.full(around, count * around + 1)], axis=1)
    return Solid(vertices, np.concatenate([sides, bottom, lid]).astype(np.int32))


def ring_length(points: Floats) -> float:
    """The length of a closed line through points (n, 3)."""
    return float(np.linalg.norm(np.roll(points, -1, axis=0) - points, axis=1).sum())


def head(girth: float) -> Solid:
    """A head and neck. The origin is in the middle of the level of the girth.

    Parameters
    ----------
    girth : float, mm
        Around the head above the brow, where it is largest.
    """
    levels = np.array(_HEAD)
    rings = _loft(levels, _SQUARENESS, 64)
    x, y, z = np.moveaxis(rings, -1, 0)
    ear = 0.030 * np.exp(-(((y - 0.012) / 0.022) ** 2) - ((z + 0.075) / 0.030) ** 2)
    nose = 0.030 * np.exp(-((x / 0.016) ** 2) - ((z + 0.085) / 0.024) ** 2) * (y < 0)
    rings = np.stack([x + np.sign(x) * ear * (np.abs(x) > 0.06), y - nose, z], axis=-1)
    at_brow = np.array([np.interp(0.0, z[:, 0], rings[:, k, axis]) for k in range(_AROUND) for axis in range(3)])
    return _closed(rings * (girth / ring_length(at_brow.reshape(_AROUND, 3))))


def forearm(girth: float) -> Solid:
    """A forearm with the wrist up. The origin is in the middle of the elbow end.

    Parameters
    ----------
    girth : float, mm
        Where it is thickest, below the elbow.
    """
    rings = _loft(np.array(_FOREARM), 2.0, 40)
    thickest = max(ring_length(ring) for ring in rings)
    return _closed(rings * (girth / thickest))


_FINGERS = (
    # (root x, root z, tip x, tip z, radius at the root, at the tip), in hand lengths from the wrist up
    (0.170, 0.530, 0.205, 0.880, 0.047, 0.036), (0.060, 0.550, 0.068, 0.962, 0.048, 0.038),
    (-0.050, 0.535, -0.062, 0.905, 0.046, 0.035), (-0.150, 0.490, -0.190, 0.770, 0.042, 0.031),
    (0.190, 0.200, 0.350, 0.480, 0.056, 0.042),
)


def hand(length: float) -> Solid:
    """A right hand held flat, with the palm towards -Y. The origin is in the middle of the wrist.

    Parameters
    ----------
    length : float, mm
        From the wrist to the tip of the middle finger.
    """

    def ball(x: float, y: float, z: float, radius: float) -> manifold3d.Manifold:
        return manifold3d.Manifold.sphere(radius, 32).translate((x, y, z))

    palm = manifold3d.Manifold.batch_hull([
        ball(-0.100, 0, 0.075, 0.075), ball(0.100, 0, 0.075, 0.075), ball(-0.165, 0, 0.46, 0.062),
        ball(0.165, 0, 0.50, 0.062), ball(0.0, 0, 0.52, 0.066),
    ])
    fingers = [
        manifold3d.Manifold.batch_hull([ball(x0, 0, z0, r0), ball(x1, 0, z1, r1)])
        for x0, z0, x1, z1, r0, r1 in _FINGERS
    ]
    body = manifold3d.Manifold.batch_boolean([palm, *fingers], manifold3d.OpType.Add)
    mesh = body.to_mesh64()
    vertices = np.array(mesh.vert_properties)[:, :3]
    vertices *= length / vertices[:, 2].max()
    return Solid(vertices, np.asarray(mesh.tri_verts).astype(np.int32))


MAKERS: dict[str, Callable[[float], Solid]] = {"head": head, "hand": hand, "forearm": forearm}
"""From the measure of each of ``measures.FORMS`` to a closed solid, mm."""
