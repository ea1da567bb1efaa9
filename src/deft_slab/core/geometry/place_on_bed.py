"""Rotates a piece from the model frame to the bed frame, and sets it down on the bed.

Rotations are (3, 3) matrices that act on column vectors: bed = R @ model. The down direction d is the unit vector of
the model frame with R @ d = (0, 0, -1).
"""

from __future__ import annotations

import numpy as np

from ..arrays import Floats
from ..errors import BadPlan
from ..locale.translate import tr
from .orientation import Tilt


def unit(vector: Floats | list[float] | tuple[float, ...], name: str = "direction") -> Floats:
    """A vector scaled to length 1.

    Parameters
    ----------
    vector : (3,)
    name : str
        What the vector is called in the error message.

    Returns
    -------
    (3,) float64

    Raises
    ------
    BadPlan
        It has length zero, or is not three finite numbers.
    """
    array = np.asarray(vector, float)
    length = float(np.linalg.norm(array)) if array.shape == (3,) else 0.0
    if not np.isfinite(length) or length < 1e-12:
        raise BadPlan(
            tr(
                "The {name} must be three numbers that are not all zero; got {list}.",
                name=name,
                list=list(np.ravel(array)),
            )
        )
    return np.asarray(array / length)


def turning(source: Floats, target: Floats) -> Floats:
    """The shortest rotation from one unit vector to another (Rodrigues' formula).

    Returns
    -------
    (3, 3) float64
    """
    (ux, uy, uz), (vx, vy, vz) = source.tolist(), target.tolist()
    # the axis of the turn, and what goes with it, by hand: searches ask for thousands, and the library is slow at one
    x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    cosine, sine2 = ux * vx + uy * vy + uz * vz, x * x + y * y + z * z
    if cosine < 0.0 and sine2 < 1e-18:
        helper = np.eye(3)[int(np.argmin(np.abs(source)))]
        axis = np.cross(source, helper)
        axis /= np.linalg.norm(axis)
        return np.asarray(2.0 * np.outer(axis, axis) - np.eye(3))
    # (1 - cos) / sin^2 = 1 / (1 + cos); each is exact where the other is not
    factor = 1.0 / (1.0 + cosine) if cosine > 0.0 else (1.0 - cosine) / sine2
    return np.array(
        [
            [1.0 - factor * (y * y + z * z), factor * x * y - z, factor * x * z + y],
            [factor * x * y + z, 1.0 - factor * (x * x + z * z), factor * y * z - x],
            [factor * x * z - y, factor * y * z + x, 1.0 - factor * (x * x + y * y)],
        ]
    )


def down_to_rotation(down: Floats) -> Floats:
    """The shortest rotation that makes a direction point to the bed.

    Parameters
    ----------
    down : (3,) float64
        Unit vector, model frame.

    Returns
    -------
    (3, 3) float64
    """
    return turning(down, np.array([0.0, 0.0, -1.0]))


def downs_to_rotations(downs: Floats) -> Floats:
    """``down_to_rotation`` for each of several directions.

    Parameters
    ----------
    downs : (k, 3) float64
        Unit vectors, model frame.

    Returns
    -------
    (k, 3, 3) float64
    """
    x, y, z = downs.T
    # the axis of the turn is the cross product of the direction and (0, 0, -1): it lies level
    ax, ay, cosine = -y, x, -z
    beyond = cosine < 0.0
    sine2 = ax * ax + ay * ay
    factor = np.where(beyond, (1.0 - cosine) / np.maximum(sine2, 1e-300), 1.0 / np.where(beyond, 1.0, 1.0 + cosine))
    found = np.empty((len(downs), 3, 3))
    found[:, 0] = np.stack([1.0 - factor * ay * ay, factor * ax * ay, ay], axis=1)
    found[:, 1] = np.stack([factor * ax * ay, 1.0 - factor * ax * ax, -ax], axis=1)
    found[:, 2] = np.stack([-ay, ax, 1.0 - factor * sine2], axis=1)
    for n in np.flatnonzero(beyond & (sine2 < 1e-18)):
        found[n] = down_to_rotation(downs[n])
    return found


def seated_on(now: Tilt, down: Floats) -> Tilt:
    """The seat with a given direction down that is nearest to the present one.

    Parameters
    ----------
    now : Tilt
        The present seat.
    down : (3,) float64
        In the model frame, of any length but 0.
    """
    there = now.rotation @ down
    return Tilt.from_rotation(turning(there / np.linalg.norm(there), np.array([0.0, 0.0, -1.0]))).after(now)


def set_down(vertices: Floats, rotation: Floats, lift: float = 0.0) -> Floats:
    """Vertices rotated into the bed frame, with their lowest point at z = lift.

    Returns
    -------
    (n, 3) float64, mm, bed frame
    """
    turned = vertices @ rotation.T
    turned[:, 2] += lift - turned[:, 2].min()
    return np.ascontiguousarray(turned)
