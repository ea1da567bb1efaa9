"""Draws named things into a picture. This is the one module that calls VTK.

It renders off screen and passes the picture to a plain widget. Controls can therefore lie over the view, a picture of
the window includes it, and the two toolkits need not share a native window.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
import vtkmodules.vtkRenderingOpenGL2  # noqa: F401 - registers the OpenGL classes
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray, vtk_to_numpy
from vtkmodules.vtkCommonCore import (
    vtkCommand,
    vtkFloatArray,
    vtkLogger,
    vtkOutputWindow,
    vtkPoints,
    vtkUnsignedCharArray,
)
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPlane, vtkPolyData
from vtkmodules.vtkCommonMath import vtkMatrix4x4
from vtkmodules.vtkRenderingCore import (
    vtkActor,
    vtkLight,
    vtkPolyDataMapper,
    vtkRenderer,
    vtkRenderWindow,
)

from ...core.arrays import Bytes, Floats, Floats32
from ...core.locale.translate import tr
from .camera import OPENING, Camera
from .drawables import Colour, Lines, Mesh, Pose, Thing

_THROUGH = 4e6
"""Units of depth by which a veil is drawn nearer, so that it shows through what stands before it."""
VEIL = 0.5
"""How much of a veil covers what is behind it."""


class SceneError(Exception):
    """VTK reported an error."""


class Canvas:
    """Named things, a camera and the picture. All methods must be called from the thread that created the canvas."""

    def __init__(self) -> None:
        self._errors: list[str] = []
        # it says what the system has not, such as cursors, which a picture off screen does not need
        vtkLogger.SetStderrVerbosity(vtkLogger.VERBOSITY_OFF)
        self._output = vtkOutputWindow.GetInstance()
        self._output.SetDisplayModeToNever()
        self._watch = self._output.AddObserver(vtkCommand.ErrorEvent, lambda *_: self._errors.append("error"))
        self._window = vtkRenderWindow()
        self._window.SetOffScreenRendering(1)
        self._renderer = vtkRenderer()
        self._renderer.RemoveAllLights()
        self._window.AddRenderer(self._renderer)
        self._lights()
        self._window.SetSize(16, 16)
        self._window.SetMultiSamples(0)
        self._window.Render()
        # smoothed edges cost a graphics card nothing and a software renderer three quarters of its speed (measured)
        software = any(name in self._window.ReportCapabilities() for name in ("llvmpipe", "softpipe", "SWR"))
        self._window.SetMultiSamples(0 if software else 4)
        self._actors: dict[str, vtkActor] = {}
        self._things: dict[str, Thing] = {}

    def _lights(self) -> None:
        for position, strength in (((-0.4, 0.5, 1.0), 0.72), ((0.9, -0.1, 0.3), 0.26), ((0.0, -1.0, 0.15), 0.18)):
            light = vtkLight()
            light.SetLightTypeToCameraLight()
            light.SetPosition(*position)
            light.SetFocalPoint(0, 0, 0)
            light.SetIntensity(strength)
            self._renderer.AddLight(light)

    def draw(self, things: Mapping[str, Thing], hidden: tuple[float, float] = (0.0, math.inf)) -> None:
        """Draw these named things instead of the previous ones. Where only the colour or the pose differs, the rest
        is kept.

        Parameters
        ----------
        hidden : mm
            Clipped things are drawn only between these two heights, in mm.
        """
        for name in [name for name in self._things if name not in things]:
            self._remove(name)
        for name, thing in things.items():
            self._put(name, thing)
        self._hide(*hidden)

    def _put(self, name: str, thing: Thing) -> None:
        before = self._things.get(name)
        if before is thing:
            return
        if isinstance(thing, Mesh) and isinstance(before, Mesh) and thing.same_shape(before):
            actor = self._actors[name]
            if before.colour is not thing.colour:
                _colour(actor, thing.colour)
            _place(actor, thing.pose)
        else:
            self._remove(name)
            actor = _mesh(thing) if isinstance(thing, Mesh) else _lines(thing)
            self._renderer.AddViewProp(actor)
            self._actors[name] = actor
        self._things[name] = thing

    def _remove(self, name: str) -> None:
        if name in self._actors:
            self._renderer.RemoveViewProp(self._actors.pop(name))
            del self._things[name]

    def visible(self, name: str, visible: bool) -> None:
        if name in self._actors:
            self._actors[name].SetVisibility(visible)

    def _hide(self, low: float, high: float) -> None:
        planes = []
        for z, up, wanted in ((low, 1.0, low > 0), (high, -1.0, math.isfinite(high))):
            if wanted:
                planes.append(vtkPlane())
                planes[-1].SetOrigin(0.0, 0.0, z)
                planes[-1].SetNormal(0.0, 0.0, up)
        for name, thing in self._things.items():
            if isinstance(thing, Mesh) and thing.clipped:
                mapper = self._actors[name].GetMapper()
                mapper.RemoveAllClippingPlanes()
                for plane in planes:
                    mapper.AddClippingPlane(plane)

    def picture(
        self, camera: Camera, width: int, height: int, *, ground: Colour, with_veils: bool = True, coarse: bool = False
    ) -> tuple[Bytes, Floats32]:
        """Render the scene.

        The top row comes first. Veils appear as one layer however many of their walls lie behind each other: the
        scene is rendered without and with them, and the two pictures are mixed. Veils have no depth.

        Parameters
        ----------
        ground : Colour
            The background colour.
        coarse : bool
            Whether simplified things are drawn in place of the full ones.

        Returns
        -------
        tuple of ((height, width, 3) uint8, (height, width) float32)
            The pixels, and the depth in mm along the view direction, inf where there is nothing.

        Raises
        ------
        SceneError
            VTK reported an error while drawing.
        """
        self._window.SetSize(width, height)
        self._renderer.SetBackground(*(value / 255 for value in ground))
        eye = self._renderer.GetActiveCamera()
        eye.SetPosition(*camera.eye)
        eye.SetFocalPoint(*camera.focus)
        eye.SetViewUp(*camera.frame[1])
        eye.SetViewAngle(OPENING)
        self._renderer.ResetCameraClippingRange()
        for name, thing in self._things.items():
            if isinstance(thing, Mesh) and thing.instead_of:
                self.visible(name, coarse)
                self.visible(thing.instead_of, not coarse)
        veils = [name for name, thing in self._things.items() if isinstance(thing, Mesh) and thing.veil]
        for name in veils:
            self.visible(name, False)
        pixels = self._rendered(width, height)
        depth = self._depth(width, height)
        for name in veils:
            self.visible(name, True)
        if with_veils and veils:
            veiled = self._rendered(width, height)
            pixels = ((1 - VEIL) * pixels + VEIL * veiled).astype(np.uint8)
        return np.ascontiguousarray(pixels[::-1]), np.ascontiguousarray(depth[::-1])

    def _depth(self, width: int, height: int) -> Floats32:
        """Distances from the depth buffer, which contains (1/near - 1/z) / (1/near - 1/far)."""
        buffer = vtkFloatArray()
        self._window.GetZbufferData(0, 0, width - 1, height - 1, buffer)
        near, far = self._renderer.GetActiveCamera().GetClippingRange()
        share = vtk_to_numpy(buffer).reshape(height, width)
        depth = near * far / (far - share * (far - near))
        return np.where(share < 1.0, depth, np.inf).astype(np.float32)

    def _rendered(self, width: int, height: int) -> Bytes:
        self._errors.clear()
        self._window.Render()
        pixels = vtkUnsignedCharArray()
        self._window.GetPixelData(0, 0, width - 1, height - 1, 1, pixels, 0)
        if self._errors:
            raise SceneError(tr("The 3D view could not be drawn."))
        return np.asarray(vtk_to_numpy(pixels).reshape(height, width, 3))

    def close(self) -> None:
        """Release everything, including the connection to the screen. The canvas cannot be used afterwards."""
        self.draw({})
        self._output.RemoveObserver(self._watch)
        self._window.RemoveRenderer(self._renderer)
        self._window.Finalize()
        del self._renderer, self._window


def _poly(vertices: Floats) -> vtkPolyData:
    points = vtkPoints()
    points.SetData(numpy_to_vtk(np.ascontiguousarray(vertices, np.float32), deep=True))
    data = vtkPolyData()
    data.SetPoints(points)
    return data


def _mesh(thing: Mesh) -> vtkActor:
    data = _poly(thing.vertices)
    cells = vtkCellArray()
    cells.SetData(3, numpy_to_vtkIdTypeArray(np.ascontiguousarray(thing.triangles, np.int64).ravel(), deep=True))
    data.SetPolys(cells)
    actor = _actor(data)
    _colour(actor, thing.colour)
    _place(actor, thing.pose)
    look = actor.GetProperty()
    look.SetOpacity(thing.opacity)
    look.SetInterpolationToFlat()
    look.SetAmbient(0.30 if thing.lit else 1.0)
    look.SetDiffuse(0.78 if thing.lit else 0.0)
    look.SetSpecular(0.04 if thing.lit else 0.0)
    if thing.through:
        # its depth is written as if it were much nearer, in its own order
        mapper = actor.GetMapper()
        mapper.SetResolveCoincidentTopologyToPolygonOffset()
        mapper.SetRelativeCoincidentTopologyPolygonOffsetParameters(0.0, -_THROUGH)
    return actor


def _lines(thing: Lines) -> vtkActor:
    data = _poly(thing.segments.reshape(-1, 3))
    cells = vtkCellArray()
    cells.SetData(2, numpy_to_vtkIdTypeArray(np.arange(2 * len(thing.segments), dtype=np.int64), deep=True))
    data.SetLines(cells)
    actor = _actor(data)
    _colour(actor, thing.colour)
    look = actor.GetProperty()
    look.SetLineWidth(thing.width)
    look.SetLighting(False)
    return actor


def _actor(data: vtkPolyData) -> vtkActor:
    mapper = vtkPolyDataMapper()
    mapper.SetInputData(data)
    actor = vtkActor()
    actor.SetMapper(mapper)
    return actor


def _colour(actor: vtkActor, colour: Colour | Bytes) -> None:
    """Set one colour, or one for each triangle."""
    mapper = actor.GetMapper()
    if isinstance(colour, np.ndarray):
        scalars = numpy_to_vtk(np.ascontiguousarray(colour, np.uint8), deep=True)
        mapper.GetInput().GetCellData().SetScalars(scalars)
        mapper.SetScalarModeToUseCellData()
        mapper.ScalarVisibilityOn()
    else:
        mapper.ScalarVisibilityOff()
        actor.GetProperty().SetColor(*(float(value) / 255 for value in colour))


def _place(actor: vtkActor, pose: Pose) -> None:
    matrix = vtkMatrix4x4()
    for i in range(3):
        for j in range(3):
            matrix.SetElement(i, j, float(pose.rotation[i, j]))
        matrix.SetElement(i, 3, float(pose.shift[i]))
    actor.SetUserMatrix(matrix)
