"""The one module that knows VTK: named things drawn into a picture that a plain widget shows.

It renders off screen and hands the picture to Qt, so controls can lie over the view, a picture of the window
includes it, and no native window has to be shared between two toolkits.
"""

from __future__ import annotations

import numpy as np
import vtkmodules.vtkRenderingFreeType
import vtkmodules.vtkRenderingOpenGL2  # noqa: F401 - registers the OpenGL classes
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkFloatArray, vtkOutputWindow, vtkPoints, vtkUnsignedCharArray
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPlane, vtkPolyData
from vtkmodules.vtkCommonMath import vtkMatrix4x4
from vtkmodules.vtkRenderingCore import (
    vtkActor,
    vtkBillboardTextActor3D,
    vtkLight,
    vtkPolyDataMapper,
    vtkRenderer,
    vtkRenderWindow,
)

from .camera import OPENING, Camera

Floats = NDArray[np.float64]
Colour = tuple[float, float, float]
_THROUGH = 4e6
"""Units of depth by which a veil is drawn nearer, so that it shows through what stands before it."""
VEIL = 0.5
"""How much of a veil covers what is behind it."""


class SceneError(Exception):
    """VTK reported an error."""


class Canvas:
    """Named actors, a camera, and the picture. Colours are 0 to 255."""

    def __init__(self, background: Colour) -> None:
        self._errors: list[str] = []
        self._output = vtkOutputWindow.GetInstance()
        self._output.SetDisplayModeToNever()
        self._watch = self._output.AddObserver("ErrorEvent", lambda *_: self._errors.append("error"))
        self._window = vtkRenderWindow()
        self._window.SetOffScreenRendering(1)
        self._renderer = vtkRenderer()
        self._renderer.SetBackground(*(value / 255 for value in background))
        self._renderer.RemoveAllLights()
        self._window.AddRenderer(self._renderer)
        self._lights()
        self._window.SetSize(16, 16)
        self._window.SetMultiSamples(0)
        self._window.Render()
        # smoothed edges cost a graphics card nothing and a software renderer three quarters of its speed (measured)
        software = any(name in self._window.ReportCapabilities() for name in ("llvmpipe", "softpipe", "SWR"))
        self._window.SetMultiSamples(0 if software else 4)
        self._actors: dict[str, list[vtkActor]] = {}
        self._veils: set[str] = set()

    def _lights(self) -> None:
        for position, strength in (((-0.4, 0.5, 1.0), 0.72), ((0.9, -0.1, 0.3), 0.26), ((0.0, -1.0, 0.15), 0.18)):
            light = vtkLight()
            light.SetLightTypeToCameraLight()
            light.SetPosition(*position)
            light.SetFocalPoint(0, 0, 0)
            light.SetIntensity(strength)
            self._renderer.AddLight(light)

    def remove(self, prefix: str) -> None:
        """Removes everything whose name starts with a prefix."""
        for name in [name for name in self._actors if name.startswith(prefix)]:
            self._veils.discard(name)
            for actor in self._actors.pop(name):
                self._renderer.RemoveViewProp(actor)

    def has(self, name: str) -> bool:
        return name in self._actors

    def visible(self, name: str, visible: bool) -> None:
        for actor in self._actors.get(name, []):
            actor.SetVisibility(visible)

    def move(self, name: str, rotation: Floats, shift: Floats) -> None:
        """Draws what has a name elsewhere: turned by (3, 3), then shifted by (3,) mm, from where it was put."""
        matrix = vtkMatrix4x4()
        for i in range(3):
            for j in range(3):
                matrix.SetElement(i, j, float(rotation[i, j]))
            matrix.SetElement(i, 3, float(shift[i]))
        for actor in self._actors.get(name, []):
            actor.SetUserMatrix(matrix)

    def hide_below(self, prefixes: tuple[str, ...], z: float) -> None:
        """Draws nothing below a height (mm) of what has a name with such a beginning; all of it at 0."""
        plane = vtkPlane()
        plane.SetOrigin(0.0, 0.0, z)
        plane.SetNormal(0.0, 0.0, 1.0)
        for name, actors in self._actors.items():
            if name.startswith(prefixes):
                for actor in actors:
                    actor.GetMapper().RemoveAllClippingPlanes()
                    if z > 0:
                        actor.GetMapper().AddClippingPlane(plane)

    def _put(self, name: str, actor: vtkActor) -> None:
        self._renderer.AddViewProp(actor)
        self._actors.setdefault(name, []).append(actor)

    def mesh(
        self, name: str, vertices: Floats, triangles: NDArray[np.int32], colour: Colour | NDArray[np.uint8], *,
        opacity: float = 1.0, veil: bool = False, through: bool = False, lit: bool = True,
    ) -> None:  # fmt: skip
        """Draws triangles in one colour, or in one colour each ((m, 3) uint8), in place of those of that name.

        veil : one translucent layer, however many of its walls lie behind each other; through : also where something
        stands before it
        """
        self.remove(name)
        if not len(triangles):
            return
        data = _poly(vertices)
        cells = vtkCellArray()
        cells.SetData(3, numpy_to_vtkIdTypeArray(np.ascontiguousarray(triangles, np.int64).ravel(), deep=True))
        data.SetPolys(cells)
        actor = _actor(data, colour)
        look = actor.GetProperty()
        look.SetOpacity(opacity)
        look.SetInterpolationToFlat()
        look.SetAmbient(0.30 if lit else 1.0)
        look.SetDiffuse(0.78 if lit else 0.0)
        look.SetSpecular(0.04 if lit else 0.0)
        if through:
            # its depth is written as if it were much nearer, in its own order
            mapper = actor.GetMapper()
            mapper.SetResolveCoincidentTopologyToPolygonOffset()
            mapper.SetRelativeCoincidentTopologyPolygonOffsetParameters(0.0, -_THROUGH)
        self._put(name, actor)
        if veil:
            self._veils.add(name)

    def lines(self, name: str, segments: Floats, colour: Colour, *, width: float = 1.0) -> None:
        """Draws segments (k, 2, 3), in place of those of that name."""
        self.remove(name)
        if not len(segments):
            return
        data = _poly(segments.reshape(-1, 3))
        cells = vtkCellArray()
        cells.SetData(2, numpy_to_vtkIdTypeArray(np.arange(2 * len(segments), dtype=np.int64), deep=True))
        data.SetLines(cells)
        actor = _actor(data, colour)
        look = actor.GetProperty()
        look.SetLineWidth(width)
        look.SetLighting(False)
        self._put(name, actor)

    def labels(self, name: str, places: list[tuple[Floats, str]], colour: Colour, size: int = 11) -> None:
        """Writes short texts at points of the bed frame, facing the eye."""
        self.remove(name)
        for place, text in places:
            actor = vtkBillboardTextActor3D()
            actor.SetInput(text)
            actor.SetPosition(*place)
            style = actor.GetTextProperty()
            style.SetFontSize(size)
            style.SetColor(*(value / 255 for value in colour))
            style.SetJustificationToCentered()
            style.SetVerticalJustificationToCentered()
            self._put(name, actor)

    def picture(
        self, camera: Camera, width: int, height: int, *, veils: bool = True
    ) -> tuple[NDArray[np.uint8], NDArray[np.float32]]:
        """(pixels (height, width, 3) uint8; depth (height, width) float32, mm along the view, inf where nothing is).

        The top row comes first. Veils are drawn as one layer however many of their walls lie behind each other: the
        scene is drawn without and with them, and the two pictures are mixed; they have no depth.

        Raises
        ------
        SceneError : VTK reported an error while drawing.
        """
        self._window.SetSize(width, height)
        eye = self._renderer.GetActiveCamera()
        eye.SetPosition(*camera.eye)
        eye.SetFocalPoint(*camera.focus)
        eye.SetViewUp(*camera.frame[1])
        eye.SetViewAngle(OPENING)
        self._renderer.ResetCameraClippingRange()
        for name in self._veils:
            self.visible(name, False)
        pixels = self._rendered(width, height)
        depth = self._depth(width, height)
        for name in self._veils:
            self.visible(name, True)
        if veils and self._veils:
            veiled = self._rendered(width, height)
            pixels = ((1 - VEIL) * pixels + VEIL * veiled).astype(np.uint8)
        return np.ascontiguousarray(pixels[::-1]), np.ascontiguousarray(depth[::-1])

    def _depth(self, width: int, height: int) -> NDArray[np.float32]:
        """From the depth buffer, which holds (1/near - 1/z) / (1/near - 1/far)."""
        buffer = vtkFloatArray()
        self._window.GetZbufferData(0, 0, width - 1, height - 1, buffer)
        near, far = self._renderer.GetActiveCamera().GetClippingRange()
        share = vtk_to_numpy(buffer).reshape(height, width)
        depth = near * far / (far - share * (far - near))
        return np.where(share < 1.0, depth, np.inf).astype(np.float32)

    def _rendered(self, width: int, height: int) -> NDArray[np.uint8]:
        self._errors.clear()
        self._window.Render()
        pixels = vtkUnsignedCharArray()
        self._window.GetPixelData(0, 0, width - 1, height - 1, 1, pixels, 0)
        if self._errors:
            raise SceneError("The 3D view could not be drawn.")
        return np.asarray(vtk_to_numpy(pixels).reshape(height, width, 3))

    def close(self) -> None:
        """Lets go of everything; the canvas is of no use after. The connection to the screen ends with it."""
        self.remove("")
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


def _actor(data: vtkPolyData, colour: Colour | NDArray[np.uint8]) -> vtkActor:
    mapper = vtkPolyDataMapper()
    mapper.SetInputData(data)
    actor = vtkActor()
    actor.SetMapper(mapper)
    if isinstance(colour, np.ndarray) and colour.ndim == 2:
        scalars = numpy_to_vtk(np.ascontiguousarray(colour, np.uint8), deep=True)
        data.GetCellData().SetScalars(scalars)
        mapper.SetScalarModeToUseCellData()
    else:
        mapper.ScalarVisibilityOff()
        actor.GetProperty().SetColor(*(float(value) / 255 for value in colour))
    return actor
