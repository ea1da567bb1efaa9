"""Renders pictures on a thread of its own, which owns VTK, so that the window stays responsive.

VTK releases Python's lock while it renders, so a thread is enough.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtGui import QImage

from ..refresh.side_thread import Aside, side_thread
from .camera import Camera
from .drawables import Colour, Thing
from .picture import Picture
from .scene import Scene

if TYPE_CHECKING:
    from .canvas import Canvas

drawing_thread = side_thread("drawing")
"""One for all views: VTK does not promise that two may draw at once."""


@dataclass(frozen=True, eq=False)
class Wanted:
    """A picture that was requested.

    Attributes
    ----------
    scene : Scene
        What is shown.
    things : Mapping[str, Thing]
        How it is drawn.
    size : (width, height)
        In pixels of the widget.
    ratio : float
        Pixels of the picture for each pixel of the widget.
    veils, coarse : bool
        See ``Canvas.picture``.
    """

    scene: Scene
    things: Mapping[str, Thing]
    camera: Camera
    size: tuple[int, int]
    ratio: float
    ground: Colour
    veils: bool = True
    coarse: bool = False


@dataclass(frozen=True, eq=False)
class Rendered:
    """A finished picture.

    Attributes
    ----------
    seconds : float
        How long it took to render.
    """

    wanted: Wanted
    picture: Picture
    seconds: float


class Easel:
    """Renders for one view. If several pictures are requested while one is being made, only the last is rendered."""

    def __init__(self, view: QObject, show: Callable[[Rendered], None]) -> None:
        """Parameters
        ----------
        show : Callable[[Rendered], None]
            Called on the UI thread with each picture.
        """
        self._aside, self._show = Aside(view, drawing_thread), show
        self._canvas: Canvas | None = None

    @property
    def draws(self) -> bool:
        """Whether a requested picture is still to come."""
        return self._aside.busy

    def draw(self, wanted: Wanted) -> None:
        """Request a picture."""
        self._aside.ask(lambda: self._drawn(wanted), self._show)

    def close(self) -> None:
        """Release VTK once the present picture is finished."""
        self._aside.close(self._let_go)
        self._aside.deleteLater()

    # in the thread

    def _let_go(self) -> None:
        if self._canvas is not None:
            self._canvas.close()
            self._canvas = None

    def _drawn(self, wanted: Wanted) -> Rendered:
        if self._canvas is None:
            from .canvas import Canvas  # VTK takes half a second to load

            self._canvas = Canvas()
        canvas, started = self._canvas, time.monotonic()
        across, down = (round(length * wanted.ratio) for length in wanted.size)
        canvas.draw(wanted.things, wanted.scene.hidden)
        pixels, depth = canvas.picture(
            wanted.camera, across, down, ground=wanted.ground, with_veils=wanted.veils, coarse=wanted.coarse
        )
        image = QImage(pixels.data, across, down, 3 * across, QImage.Format.Format_RGB888).copy()
        image.setDevicePixelRatio(wanted.ratio)
        picture = Picture(wanted.camera, image, depth, wanted.size)
        return Rendered(wanted, picture, time.monotonic() - started)
