"""Smooth sheets through a drawn line, as closed bodies that have the sheet on their surface."""

from __future__ import annotations

from dataclasses import dataclass

import manifold3d
import numpy as np
import shapely
from numpy.typing import NDArray

from ..arrays import AnyInts, Floats, Ints
from ..errors import CutFailed
from ..locale.translate import tr
from .curves import distinct, frame_of, shifted, smooth_line, splayed_by

_ARC = 24
"""Corners of the large circle that closes a sheet."""
_RINGS, _AROUND, _WAVES = 12, 128, 8
"""Of the sheet that spans a loop: rings, points around, and waves of its rise along the loop that it follows."""


@dataclass(frozen=True, eq=False)
class Loop:
    """A closed line drawn on the model.

    Attributes
    ----------
    line : (k, 3) float64, mm
        Its points.
    smooth : float
        0 keeps corners, 1 rounds them most.
    name : str
        The name of the cut, for error messages.
    """

    line: Floats
    smooth: float
    name: str


def sheet_body(
    points: Floats, view: Floats, smooth: float, splay: float, vertices: Floats, grow: float, name: str
) -> manifold3d.Manifold:
    """The body to the left of an open line, as seen along a view.

    Parameters
    ----------
    points : (k, 3) float64
        The line.
    view : (3,) float64
        The viewing direction.
    smooth : float
        0 keeps corners, 1 rounds them most.
    splay : float, degrees
        By how much the sheet leans off the view.
    vertices : (n, 3) float64
        The vertices of what is cut, which the body must reach beyond.
    grow : float, mm
        By how much the sheet lies farther out.
    name : str
        The name of the cut, for the error message.

    Raises
    ------
    CutFailed
        The line crosses itself, or the sheet folds over itself.
    """
    frame = frame_of(view)
    placed, line = vertices @ frame.T, points @ frame.T
    low, high = placed.min(axis=0) - 1.0, placed.max(axis=0) + 1.0
    middle = float(line[:, 2].mean())
    curve = smooth_line(_across(line[:, :2], name), smooth, False)
    far = 3.0 * float(np.linalg.norm(high - low)) + float(np.abs(curve - ((low + high) / 2)[:2]).max())
    middle_2d = ((low + high) / 2)[:2]
    crosses = (tr("The line of “{name}” crosses itself.", name=name), tr("Move its points so that it does not."))
    folds = (
        tr("“{name}” folds over itself.", name=name),
        tr("Reduce its splay or its kerf, or move its points apart."),
    )
    _left_of(curve, far, middle_2d, crosses)
    rings = [
        _left_of(shifted(curve, grow - splayed_by(splay, z - middle)), far, middle_2d, folds) for z in (low[2], high[2])
    ]
    return _prism(rings[0], rings[1], float(low[2]), float(high[2]), frame, name)


def _across(points: Floats, name: str) -> Floats:
    """The points of a line without repeated ones.

    Raises
    ------
    CutFailed
        Too few are left.
    """
    found = points[distinct(points)]
    if len(found) < 2:
        raise CutFailed(
            tr("The line of “{name}” has no length in this view.", name=name), remedy=tr("Draw it from another side.")
        )
    return found


def _left_of(curve: Floats, far: float, middle: Floats, problem: tuple[str, str]) -> Floats:
    """The outline of what lies to the left of a curve that continues beyond its ends, within a large circle. Curves
    with the same number of points give outlines with the same number of corners.

    The curve continues straight until it is outside the model, and then away from its middle, so that its two ends do
    not meet.

    Returns
    -------
    (k, 2) float64
    """
    outs, ends = [], []
    for tip, before in ((curve[0], curve[1]), (curve[-1], curve[-2])):
        out = tip + far / 3 * (tip - before) / np.linalg.norm(tip - before)
        away = out - middle
        outs.append(out)
        ends.append(float(np.arctan2(away[1], away[0])))
    around = ends[0] + 2 * np.pi * (ends[0] <= ends[1])
    turn = np.linspace(ends[1], around, _ARC)
    circle = middle + 4 * far * np.stack([np.cos(turn), np.sin(turn)], axis=1)
    ring = np.concatenate([outs[:1], curve, outs[1:], circle])
    if not shapely.Polygon(ring).is_valid:
        raise CutFailed(problem[0], remedy=problem[1])
    return ring


def _prism(bottom: Floats, top: Floats, low: float, high: float, frame: Floats, name: str) -> manifold3d.Manifold:
    """The body between two outlines with the same number of corners, at two heights of a frame."""
    count = len(bottom)
    vertices = np.concatenate([np.c_[bottom, np.full(count, low)], np.c_[top, np.full(count, high)]]) @ frame
    n = np.arange(count)
    following = (n + 1) % count
    walls = np.concatenate([np.c_[n, following, following + count], np.c_[n, following + count, n + count]])
    caps = [np.asarray(manifold3d.triangulate([ring])) for ring in (bottom, top)]
    triangles = np.concatenate([walls, caps[0][:, ::-1], caps[1] + count])
    return closed_body(vertices, triangles, tr("“{name}” folds over itself.", name=name))


def closed_body(vertices: Floats, triangles: AnyInts, problem: str) -> manifold3d.Manifold:
    """A body of the boolean library made from a surface.

    Parameters
    ----------
    vertices : (n, 3) float64, mm
    triangles : (m, 3) int
    problem : str
        What the error says if the surface does not close.

    Raises
    ------
    CutFailed
        The surface is not closed.
    """
    mesh = manifold3d.Mesh64(vert_properties=np.ascontiguousarray(vertices, np.float64),
                             tri_verts=np.ascontiguousarray(triangles, np.uint64))
    body = manifold3d.Manifold(mesh)
    if body.status() != manifold3d.Error.NoError or body.volume() <= 0:
        raise CutFailed(problem, remedy=tr("Move its points apart."))
    return body


def loop_body(loop: Loop, over: float, thickness: float) -> manifold3d.Manifold:
    """A thin plate along the smooth sheet that spans a loop.

    The rise of the sheet over the mean plane of the loop is harmonic: the sum over k of r^k (a_k cos kt + b_k sin
    kt), with the Fourier terms of the rise along the loop (the Dirichlet problem of the disc; any textbook on
    potential theory). Beyond the loop it continues at the height that it has there.

    Parameters
    ----------
    over : float
        How far the plate reaches beyond the loop, as a share of its radius.
    thickness : float, mm
        The thickness of the plate.

    Raises
    ------
    CutFailed
        The loop is no loop as seen along its mean normal.
    """
    frame, ring, rise, centre = loop_frame(loop)
    terms = np.fft.rfft(rise)[: _WAVES + 1] / _AROUND
    radii = np.r_[np.linspace(0, 1, _RINGS + 1)[1:], *([1.0 + over] if over > 0 else [])]
    top: list[Floats] = [np.array([[0.0, 0.0, float(terms[0].real)]])]
    top += [np.c_[radius * ring, _height(terms, min(radius, 1.0))] for radius in radii]
    upper = np.concatenate(top) + [0, 0, thickness / 2]
    lower = np.concatenate(top) - [0, 0, thickness / 2]
    triangles = _disc(len(radii))
    count = len(upper)
    rim = 1 + (len(radii) - 1) * _AROUND + np.arange(_AROUND)
    following = np.roll(rim, -1)
    walls = np.concatenate([
        np.c_[rim + count, following + count, following], np.c_[rim + count, following, rim]
    ])
    vertices = np.concatenate([upper, lower]) @ frame + centre
    whole = np.concatenate([triangles, triangles[:, ::-1] + count, walls])
    return closed_body(vertices, whole, tr("“{name}” folds over itself.", name=loop.name))


def loop_rim(loop: Loop, radius: float) -> Floats:
    """The edge of the sheet that spans a loop.

    Parameters
    ----------
    radius : float
        How far from the middle, as a multiple of the loop's own distance.

    Returns
    -------
    (k, 3) float64, mm

    Raises
    ------
    CutFailed
        Seen along its mean normal the loop does not go once around its middle.
    """
    frame, ring, rise, centre = loop_frame(loop)
    terms = np.fft.rfft(rise)[: _WAVES + 1] / _AROUND
    return np.asarray(np.c_[radius * ring, _height(terms, min(radius, 1.0))] @ frame + centre)


def _height(terms: NDArray[np.complex128], radius: float) -> Floats:
    """The rise of the sheet in a loop along a circle, from the Fourier terms of its rise along the loop.

    Returns
    -------
    (k,) float64, mm
    """
    turn = np.arange(_AROUND) * 2 * np.pi / _AROUND
    waves = np.arange(1, _WAVES + 1)
    around = np.exp(1j * np.outer(turn, waves))
    return np.asarray(terms[0].real + 2 * np.real((terms[1:] * radius**waves)[None] * around).sum(axis=1))


def _disc(rings: int) -> Ints:
    """The triangles between a centre and rings of points around it, counter-clockwise."""
    n = np.arange(_AROUND)
    following = (n + 1) % _AROUND
    found = [np.c_[np.zeros(_AROUND, int), 1 + n, 1 + following]]
    for ring in range(rings - 1):
        inner, outer = 1 + ring * _AROUND, 1 + (ring + 1) * _AROUND
        found += [
            np.c_[inner + n, outer + n, outer + following], np.c_[inner + n, outer + following, inner + following]
        ]
    return np.concatenate(found)


def loop_frame(loop: Loop) -> tuple[Floats, Floats, Floats, Floats]:
    """The frame of a loop, and the loop in it.

    Returns
    -------
    (3, 3), (k, 2), (k,), (3,) float64
        Rows of the frame with the mean normal last; the loop across it, at equal angles; its rise; and its
        centre.

    Raises
    ------
    CutFailed
        Seen along its mean normal the loop does not go once around its middle.
    """
    curve = smooth_line(loop.line, loop.smooth, True)
    centre = curve.mean(axis=0)
    # the vector area tells which way a loop faces, however it is bent
    area = np.cross(curve - centre, np.roll(curve, -1, axis=0) - centre).sum(axis=0)
    length = float(np.linalg.norm(area))
    if length < 1e-9:
        raise CutFailed(
            tr("The loop of “{name}” encloses nothing.", name=loop.name), remedy=tr("Draw it around the limb.")
        )
    frame = frame_of(area / length)
    placed = (curve - centre) @ frame.T
    angle = np.unwrap(np.arctan2(placed[:, 1], placed[:, 0]))
    if not np.all(np.diff(angle) > 0) or angle[-1] - angle[0] > 2 * np.pi:
        raise CutFailed(
            tr("The loop of “{name}” folds back on itself.", name=loop.name),
            remedy=tr("Move its points so that it does not."),
        )
    turn = np.arange(_AROUND) * 2 * np.pi / _AROUND
    across = np.stack([np.interp(turn, angle, placed[:, k], period=2 * np.pi) for k in range(3)], axis=1)
    radius = np.linalg.norm(across[:, :2], axis=1)
    ring = radius[:, None] * np.stack([np.cos(turn), np.sin(turn)], axis=1)
    return frame, ring, across[:, 2], centre
