"""Smooth curves, for bent cuts and for drawing them. Quick to import, because the window draws them."""

from __future__ import annotations

import numpy as np

from ..arrays import Bools, Floats

_PER_SPAN = 8
"""Points of the smooth line between two drawn ones."""


def smooth_line(points: Floats, smooth: float, closed: bool) -> Floats:
    """A curve through points: a centripetal Catmull-Rom spline (Barry and Goldman 1988; Yuksel et al. 2011), blended
    with straight segments.

    Parameters
    ----------
    points : (n, d) float64
    smooth : float
        0 keeps the corners, 1 gives the full curve.
    closed : bool
        Whether the curve returns to its first point.

    Returns
    -------
    (k, d) float64
    """
    n = len(points)
    if n == 2 and not closed:
        return points
    if closed:
        around = np.concatenate([points[-1:], points, points[:2]])
    else:
        around = np.concatenate([2 * points[:1] - points[1:2], points, 2 * points[-1:] - points[-2:-1]])
    found = []
    for k in range(n if closed else n - 1):
        p = around[k : k + 4]
        t = np.concatenate([[0.0], np.cumsum(np.sqrt(np.maximum(np.linalg.norm(np.diff(p, axis=0), axis=1), 1e-9)))])
        at = np.linspace(t[1], t[2], _PER_SPAN, endpoint=False)[:, None]
        a = [(t[i + 1] - at) / (t[i + 1] - t[i]) * p[i] + (at - t[i]) / (t[i + 1] - t[i]) * p[i + 1] for i in range(3)]
        b = [(t[i + 2] - at) / (t[i + 2] - t[i]) * a[i] + (at - t[i]) / (t[i + 2] - t[i]) * a[i + 1] for i in range(2)]
        curve = (t[2] - at) / (t[2] - t[1]) * b[0] + (at - t[1]) / (t[2] - t[1]) * b[1]
        straight = p[1] + (at - t[1]) / (t[2] - t[1]) * (p[2] - p[1])
        found.append(smooth * curve + (1 - smooth) * straight)
    if not closed:
        found.append(points[-1:])
    return np.concatenate(found)


def frame_of(view: Floats) -> Floats:
    """A frame whose third axis is a viewing direction.

    Parameters
    ----------
    view : (3,) float64

    Returns
    -------
    (3, 3) float64
        Rows: two directions across the view, and the view itself.
    """
    helper = np.eye(3)[int(np.argmin(np.abs(view)))]
    across = np.cross(view, helper)
    across /= np.linalg.norm(across)
    return np.stack([across, np.cross(view, across), view])


def both_across(ways: Floats) -> tuple[Floats, Floats]:
    """Two unit directions across each of some unit vectors.

    Parameters
    ----------
    ways : (k, 3) float64

    Returns
    -------
    (k, 3) float64, (k, 3) float64
    """
    helper = np.where(np.abs(ways[:, 2:]) < 0.9, [0.0, 0.0, 1.0], [1.0, 0.0, 0.0])
    u = np.cross(ways, helper)
    u /= np.maximum(np.linalg.norm(u, axis=1), 1e-12)[:, None]
    return u, np.cross(ways, u)


def distinct(points: Floats) -> Bools:
    """Which points of a line differ from the point before them.

    Returns
    -------
    (n,) bool
    """
    return np.asarray(np.r_[True, np.linalg.norm(np.diff(points, axis=0), axis=1) > 1e-6])


def splayed_by(degrees: float, depth: float) -> float:
    """By how many mm the sheet of a splayed cut leans outward at a given depth behind the middle of its line.

    Parameters
    ----------
    degrees : float
        The splay.
    depth : float, mm
    """
    return float(np.tan(np.radians(degrees)) * depth)


def shifted(curve: Floats, distance: float | Floats) -> Floats:
    """A plane curve with each point moved to its right.

    Parameters
    ----------
    curve : (n, 2) float64
    distance : float or (n,) float64, mm
        How far, for all points or for each; negative moves to the left.

    Returns
    -------
    (n, 2) float64
    """
    along = np.gradient(curve, axis=0)
    along /= np.maximum(np.linalg.norm(along, axis=1), 1e-12)[:, None]
    return curve + distance * np.stack([along[:, 1], -along[:, 0]], axis=1)


def rails(points: Floats, view: Floats, smooth: float, splay: float, depths: Floats) -> Floats:
    """Lines on the sheet through an open line, at several depths along the view.

    Parameters
    ----------
    points : (m, 3) float64
        The line.
    view : (3,) float64
        The viewing direction.
    smooth : float
        0 keeps the corners of the line, 1 rounds them most.
    splay : float
        Degrees by which the sheet leans off the view.
    depths : (k - 1,) float64, mm
        The depths, measured along the view from the middle of the line.

    Returns
    -------
    (k, n, 3) float64
        First the line at its own depth, then one line for each depth.
    """
    frame = frame_of(view)
    line = points @ frame.T
    line = line[distinct(line[:, :2])]
    middle = float((points @ frame[2]).mean())
    if len(line) < 2:
        return np.repeat(points[None], len(depths) + 1, axis=0)
    curve = smooth_line(line[:, :2], smooth, False)
    spans = np.linspace(0.0, len(line) - 1.0, len(curve))
    own = np.interp(spans, np.arange(len(line)), line[:, 2]) if len(curve) > len(line) else line[:, 2]
    lean = np.array([splayed_by(splay, depth - middle) for depth in own])
    found = [np.c_[shifted(curve, -lean[:, None]), own]]
    found += [np.c_[shifted(curve, -splayed_by(splay, depth)), np.full(len(curve), middle + depth)] for depth in depths]
    return np.stack(found) @ frame
