"""Signed distance functions on a grid, smooth blends of them, and their zero surface.

Each form is a function of points (arrays x, y, z in mm) that gives the distance, negative inside. Round cone, capsule
and smooth minimum follow the usual closed forms of implicit modelling (distance to a segment; polynomial blend).
"""

from __future__ import annotations

import numpy as np
from vtkmodules.util.numpy_support import numpy_to_vtk, vtk_to_numpy
from vtkmodules.vtkCommonDataModel import vtkImageData
from vtkmodules.vtkFiltersCore import vtkFlyingEdges3D

from ..core.arrays import Floats, Floats32, Ints32

Points = tuple[Floats32, Floats32, Floats32]


def grid(low: tuple[float, float, float], high: tuple[float, float, float], step: float) -> Points:
    """Sample points over a box, open (broadcastable) along each axis, indexed z, y, x."""
    x, y, z = (np.arange(a, b + step, step, dtype=np.float32) for a, b in zip(low, high, strict=True))
    return x[None, None, :], y[None, :, None], z[:, None, None]


def segment(p: Points, a, b) -> tuple[Floats32, Floats32]:
    """The distance to the segment from a to b, and the position along it from 0 to 1."""
    d = [float(b[k] - a[k]) for k in range(3)]
    along = sum((p[k] - a[k]) * d[k] for k in range(3)) / sum(value * value for value in d)
    t = np.clip(along, 0.0, 1.0)
    return np.sqrt(sum((p[k] - a[k] - t * d[k]) ** 2 for k in range(3))), t


def limb(p: Points, a, b, thick_a: float, thick_b: float) -> Floats32:
    """A limb from a to b whose radius changes from thick_a to thick_b."""
    distance, t = segment(p, a, b)
    return distance - (thick_a + (thick_b - thick_a) * t)


def egg(p: Points, centre, radii) -> Floats32:
    """An ellipsoid. The distance is correct to first order."""
    q = [(p[k] - centre[k]) / radii[k] for k in range(3)]
    length = np.sqrt(sum(value * value for value in q))
    slope = np.sqrt(sum((value / radius) ** 2 for value, radius in zip(q, radii, strict=True)))
    return length * (length - 1.0) / np.maximum(slope, 1e-6)


def ring(p: Points, centre, radius: float, thick: float) -> Floats32:
    """A ring around the vertical."""
    around = np.sqrt((p[0] - centre[0]) ** 2 + (p[1] - centre[1]) ** 2) - radius
    return np.sqrt(around**2 + (p[2] - centre[2]) ** 2) - thick


def blend(a: Floats32, b: Floats32, soft: float) -> Floats32:
    """A union with a soft fillet."""
    h = np.maximum(soft - np.abs(a - b), 0.0) / soft
    return np.minimum(a, b) - h * h * soft * 0.25


def carve(a: Floats32, b: Floats32, soft: float) -> Floats32:
    """The form a without b, with a soft edge."""
    return -blend(-a, b, soft)


def surface(field: Floats32, low, step: float) -> tuple[Floats, Ints32]:
    """Vertices and outward triangles of the zero level."""
    solid = np.pad(field, 2, constant_values=10.0).astype(np.float32)
    # an exact zero would make triangles without area
    solid[np.abs(solid) < 1e-4] = 1e-4
    image = vtkImageData()
    image.SetDimensions(*solid.shape[::-1])
    image.SetSpacing(step, step, step)
    image.SetOrigin(*(value - 2 * step for value in low))
    image.GetPointData().SetScalars(numpy_to_vtk(-solid.ravel(), deep=True))
    edges = vtkFlyingEdges3D()
    edges.SetInputData(image)
    edges.SetValue(0, 0.0)
    edges.ComputeNormalsOff()
    edges.Update()
    mesh = edges.GetOutput()
    vertices = vtk_to_numpy(mesh.GetPoints().GetData()).astype(float)
    triangles = vtk_to_numpy(mesh.GetPolys().GetConnectivityArray()).reshape(-1, 3).astype(np.int32)
    return vertices, triangles
