"""A widget that shows a scene. It draws the difference from the previous scene, and paints over the picture."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent, QRegion, QResizeEvent
from PySide6.QtWidgets import QWidget

from ...core.arrays import Floats
from ..look import palette
from .camera import Camera, box_corners
from .drawables import Mesh, Pose, Thing
from .painting import paint_scene
from .picture import Picture
from .render_thread import Easel, Rendered, Wanted
from .scene import Scene, scene_of
from .subject import SceneSubject

_HALF = 0.5
_SLOW = 0.1
"""Seconds for one picture."""


class SceneView(QWidget):
    """Shows a scene. Subclasses decide what is shown and what the mouse does.

    Attributes
    ----------
    scene
        The scene that is shown; None while nothing is drawn.
    picture
        The picture of it that was rendered last.
    above
        Pixels at the top that are kept free when everything is framed, for what lies over the view.
    """

    above = 0.0

    def __init__(self) -> None:
        super().__init__()
        self.scene: Scene | None = None
        self.picture: Picture | None = None
        self.camera = Camera()
        self._pictured: Scene | None = None
        self._easel: Easel | None = None
        self._marked: Mesh | None = None
        self._moved: dict[str, Pose] = {}
        self._kept: QImage | None = None
        self._slow = False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._draw)

    @property
    def awake(self) -> bool:
        """Whether the view draws."""
        return self._easel is not None

    @property
    def draws(self) -> bool:
        """Whether a picture of the present scene is still to come."""
        return self._timer.isActive() or (self._easel is not None and self._easel.draws)

    @property
    def draws_slowly(self) -> bool:
        """Whether the last full picture took so long that motion would stutter."""
        return self._slow

    def redress(self) -> None:
        """Draw everything anew in the present colours."""
        self.scene = None

    @property
    def turns_smoothly(self) -> bool:
        """Whether the support is omitted because drawing is slow, so that the view turns smoothly."""
        return False

    @property
    def coarse(self) -> bool:
        """Whether the scene is drawn at half size because drawing is slow, so that it follows the hand."""
        return False

    def wake(self) -> None:
        """Start drawing."""
        if self._easel is None:
            self._easel = Easel(self, self._on_drawn)

    def sleep(self) -> None:
        """Release VTK."""
        self._timer.stop()
        if self._easel is not None:
            self._easel.close()
            self._easel = self.scene = None

    # what is shown

    def put_on(self, showing: SceneSubject) -> Scene | None:
        """Show a subject. Returns its scene; None while nothing is drawn."""
        if self._easel is None:
            return None
        self.scene = scene_of(showing, self.scene)
        self._marked, self._moved = None, {}
        self.draw_soon()
        return self.scene

    def mark(self, mesh: Mesh | None) -> None:
        """Mark some facets until another scene is shown; None removes the marking."""
        self._marked = mesh
        self.draw_soon()

    @property
    def marked(self) -> bool:
        """Whether any facet is marked."""
        return self._marked is not None

    def move_piece(self, number: int, pose: Pose) -> None:
        """Draw a piece in another pose, without its support, until another scene is shown."""
        self._moved[f"piece {number}"] = pose
        self._marked = None
        self.draw_soon()

    def _things(self, scene: Scene) -> dict[str, Thing]:
        found = dict(scene.things)
        for name, pose in self._moved.items():
            thing = found.get(name)
            if isinstance(thing, Mesh):
                found[name] = thing.at(pose)
                found.pop(name.replace("piece", "support"), None)
        if self._marked is not None:
            found["marked"] = self._marked
        if self.camera.elevation < 0:  # from below one looks through the bed
            found.pop("bed sheet")
            found.pop("bed fine")
        return found

    # looking and drawing

    def look(self, camera: Camera) -> None:
        """Look through another camera."""
        self.camera = camera
        self.draw_soon()

    def frame_all(self) -> None:
        """Frame everything that is drawn, from the same side."""
        if self.scene is not None:
            self.look(self.camera.framing(box_corners(*self.scene.box), self.width(), self.height(), self.above))

    def hit(self, at: QPointF, *, assembled: bool = False) -> tuple[int, int, Floats] | None:
        """The piece, facet and place (mm, model frame) under a pixel.

        Parameters
        ----------
        assembled : bool
            See ``Scene.hit``.
        """
        ray = self.camera.ray(at.x(), at.y(), self.width(), self.height())
        return self.scene.hit(*ray, assembled=assembled) if self.scene is not None else None

    def draw_soon(self) -> None:
        """Draw once, when the present event has been handled."""
        if self._easel is not None and not self._timer.isActive():
            self._timer.start()

    def _draw(self) -> None:
        scene, width, height = self.scene, self.width(), self.height()
        if self._easel is None or scene is None or width < 2 or height < 2:
            return
        coarse = self.coarse and self._slow
        self._easel.draw(
            Wanted(
                scene, self._things(scene), self.camera, (width, height),
                self.devicePixelRatioF() * (_HALF if coarse else 1.0), palette.colour(palette.GROUND),
                veils=not (self.turns_smoothly and self._slow), coarse=coarse,
            )
        )

    def _on_drawn(self, drawn: Rendered) -> None:
        self.picture, self._pictured = drawn.picture, drawn.wanted.scene
        if drawn.wanted.veils:
            self._slow = drawn.seconds > _SLOW
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        ratio = self.devicePixelRatioF()
        painter = QPainter(self)
        if not ratio.is_integer():  # what was kept would not lie on the pixels of the screen
            self._paint(painter)
        else:
            # what lies over the view is painted anew far more often than the view itself: a button under the mouse
            if self._kept is None or self.visibleRegion().subtracted(event.region()).isEmpty():
                self._kept = self._blank()
                inner = QPainter(self._kept)
                self.initPainter(inner)
                self._paint(inner)
                inner.end()
            painter.drawImage(0, 0, self._kept)
        painter.end()

    def _paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), QColor(palette.GROUND))
        waits = self.waiting_words
        if waits:
            painter.setPen(QColor(palette.FAINT))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, waits)
        elif self.picture is not None and self._pictured is not None:
            painter.drawImage(0, 0, self.picture.image)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            # the marks of a piece that is on its way elsewhere are not there yet
            paint_scene(painter, self.picture, replace(self._pictured, marks={}) if self._moved else self._pictured)
            if self.scene is not None:
                self.paint_over(painter, self.picture, self.scene)

    def as_image(self) -> QImage:
        """The picture at the resolution of the screen, without what lies over it."""
        image = self._blank()
        self.render(image, QPoint(), QRegion(), QWidget.RenderFlag(0))
        return image

    def _blank(self) -> QImage:
        """An empty image of the view's size at the resolution of the screen, in full colour even where the screen
        has few colours.
        """
        image = QImage(self.size() * self.devicePixelRatioF(), QImage.Format.Format_RGB32)
        image.setDevicePixelRatio(self.devicePixelRatioF())
        return image

    @property
    def waiting_words(self) -> str:
        """What is said in place of the picture; empty while the picture is shown."""
        return ""

    def paint_over(self, painter: QPainter, picture: Picture, scene: Scene) -> None:
        """Paint what a subclass adds to the picture."""

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._kept = None
        self.draw_soon()
