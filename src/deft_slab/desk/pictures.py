"""Small pictures of a plan, drawn from the column field seen from the side. They need no OpenGL, so any process can
make them.
"""

from __future__ import annotations

import numpy as np

from ..core.arrays import Bools, Bytes, Floats, Floats32, Ints32
from ..core.figures.column_field import column_field
from ..core.geometry.orientation import Tilt
from ..core.mesh.solid import Solid
from .look.palette import RAMP, STONE, ramp_colours
from .scene.drawables import Mesh
from .scene.scene import Scene

WIDTH, HEIGHT = 92, 64
_FINER = 2


def picture_of(scene: Scene) -> Bytes:
    """The pieces of a scene with their support, on a transparent background.

    Returns
    -------
    (height, width, 4) uint8
    """
    points, faces, colours = [], [], []
    start = 0
    for name, thing in scene.things.items():
        if not isinstance(thing, Mesh) or not name.startswith(("piece ", "support ")):
            continue
        points.append(thing.pose.of(thing.vertices))
        faces.append(thing.triangles + start)
        colours.append(np.broadcast_to(np.asarray(thing.colour) / 255.0, (len(thing.triangles), 3)))
        start += len(thing.vertices)
    return _drawn(np.concatenate(points), np.concatenate(faces).astype(np.int32), np.concatenate(colours))


def picture_of_seat(solid: Solid, rotation: Floats, past: Floats32) -> Bytes:
    """One piece in a seat, with its overhang coloured.

    Parameters
    ----------
    past : (m,) float32, degrees
        How far past the threshold each facet is; -1 where no support is needed.

    Returns
    -------
    (height, width, 4) uint8
    """
    colours = ramp_colours(past, STONE, RAMP) / 255.0
    return _drawn(solid.vertices @ rotation.T, solid.triangles, colours)


def silhouette(vertices: Floats, triangles: Ints32, cells: int = 96) -> Bools:
    """The silhouette of a model seen from the front (along +Y).

    Parameters
    ----------
    vertices : (n, 3) float64
        In any unit.
    cells : int
        The length of its longer side in cells.

    Returns
    -------
    (rows, columns) bool
        The top row comes first.
    """
    seen = vertices[:, [0, 2, 1]] * [1.0, 1.0, -1.0]  # what was towards the eye becomes up in the column field
    size = np.ptp(seen[:, :2], axis=0)
    # cells are looked at in their corners: what is thinner than two of them, such as a plate, is drawn that thick
    thickened = np.maximum(size, 2 * max(float(size.max()), 1e-12) / cells) / np.maximum(size, 1e-12)
    columns = column_field(seen * [*thickened, 1.0], triangles, cells)
    return (columns.topmost[0] >= 0)[::-1]


def _drawn(vertices: Floats, triangles: Ints32, colours: Floats) -> Bytes:
    # turn the bed by 35 degrees, then lift the eye by 22: what was towards the eye becomes up in the column field
    view = Tilt.turn((1, 0, 0), -68.0).after(Tilt.turn((0, 0, 1), 35.0)).rotation
    seen = vertices @ view.T
    size = np.ptp(seen[:, :2], axis=0)
    width, height = WIDTH * _FINER, HEIGHT * _FINER
    scale = max(size[0] / (width - 8), size[1] / (height - 8), 1e-9)
    columns = column_field(np.ascontiguousarray(seen), triangles, max(2, int(max(size) / scale)))
    found = columns.topmost[0].ravel()
    filled = np.flatnonzero(found >= 0)
    top = found[filled]
    corners = seen[triangles[top]]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-12)[:, None]
    light = np.array([-0.35, 0.55, 0.75]) / np.linalg.norm([-0.35, 0.55, 0.75])
    shade = 0.55 + 0.45 * np.clip(np.abs(normal @ light), 0.0, 1.0)
    image = np.zeros((height, width, 4))
    x = filled % columns.nx + (width - columns.nx) // 2
    y = filled // columns.nx + (height - columns.ny) // 2
    inside = (x >= 0) & (x < width) & (y >= 0) & (y < height)
    row, column = height - 1 - y[inside], x[inside]
    image[row, column, :3] = colours[top[inside]] * shade[inside, None]
    image[row, column, 3] = 1.0
    image[..., :3] *= image[..., 3:]
    small = image.reshape(HEIGHT, _FINER, WIDTH, _FINER, 4).mean(axis=(1, 3))
    small[..., :3] /= np.maximum(small[..., 3:], 1e-9)
    return np.ascontiguousarray(np.round(small * 255).astype(np.uint8))
