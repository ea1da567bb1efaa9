"""The current layer from above: its section, its area, its number, and how to go to another."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QCheckBox, QFrame, QVBoxLayout, QWidget

from ...core.inspection.findings import Inspection, Island, SectionFace
from ...core.locale import text
from ...core.locale.translate import tr
from ...core.results.outcome import Piece
from ..desk_state import DeskState
from ..look import palette
from ..refresh.binding import follow, quietly
from ..widgets.basics import button, label, row
from ..widgets.number import NumberField

_SIDE = 176


class SectionView(QWidget):
    """A section from above, as the piece lies on the bed."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(_SIDE, 132)
        self._faces: tuple[SectionFace, ...] = ()
        self._box = (0.0, 0.0, 1.0, 1.0)
        self._islands: tuple[Island, ...] = ()
        self._words = ""
        self.setAccessibleName(tr("The layer from above"))

    def show_faces(
        self, faces: Sequence[SectionFace], box: tuple[float, float, float, float], islands: Sequence[Island],
        words: str,
    ) -> None:
        """Show sections.

        Parameters
        ----------
        box : (left, front, right, back), mm
            The area that is shown.
        islands : Sequence[Island]
            The islands that begin in this layer.
        words : str
            What is shown if there is no section.
        """
        self._faces, self._box, self._islands, self._words = tuple(faces), box, tuple(islands), words
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(palette.SHEET))
        painter.setPen(QPen(QColor(palette.HAIRLINE), 1))
        painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        left, front, right, back = self._box
        scale = min((self.width() - 12) / max(right - left, 1e-6), (self.height() - 12) / max(back - front, 1e-6))
        middle = ((left + right) / 2, (front + back) / 2)

        def seen(x: float, y: float) -> QPointF:
            return QPointF(self.width() / 2 + (x - middle[0]) * scale, self.height() / 2 - (y - middle[1]) * scale)

        if not self._faces:
            painter.setPen(QColor(palette.FAINT))
            how = int(Qt.AlignmentFlag.AlignCenter) | int(Qt.TextFlag.TextWordWrap)
            painter.drawText(self.rect().adjusted(8, 0, -8, 0), how, self._words)
        for face in self._faces:
            path = QPainterPath()
            path.setFillRule(Qt.FillRule.OddEvenFill)
            for line in face.lines:
                path.addPolygon(QPolygonF([seen(x, y) for x, y in line.tolist()]))
                path.closeSubpath()
            painter.setPen(QPen(QColor(palette.INK), 0.8))
            painter.setBrush(QColor(palette.SECTION))
            painter.drawPath(path)
        painter.setPen(QPen(QColor(palette.MADDER), 2.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for island in self._islands:
            painter.drawEllipse(seen(island.at[0], island.at[1]), 7.0, 7.0)
        painter.end()


class LayerCard(QFrame):
    """The card of the current layer, which lies over the bed in Check."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._checking = state, state.checking
        self._boxed: tuple[Piece, tuple[float, float, float, float]] | None = None
        self.setProperty("role", "card")
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.setSpacing(4)
        self.view = SectionView()
        column.addWidget(self.view)
        self.said = label("", "title")
        column.addWidget(self.said)
        self.layer = NumberField("", low=1, high=1e6, step=1, decimals=0)
        self.layer.setAccessibleName(tr("Layer"))
        self.layer.setToolTip(tr("The layer that is shown, counted from the bed. Arrow keys go one layer up or "
                                 "down."))
        self.layer.committed.connect(lambda value: self._checking.set_layer(round(value)))
        self.height_field = NumberField("mm", low=0, high=1e5, step=1, decimals=2)
        self.height_field.setAccessibleName(tr("Height"))
        self.height_field.setToolTip(tr("The height above the bed, in mm, at which the view is cut off."))
        self.height_field.committed.connect(self._checking.set_height)
        self.layer.setMaximumWidth(64)
        self.height_field.setMaximumWidth(84)
        column.addLayout(row(label(tr("layer"), "faint"), self.layer, self.height_field))
        self.below = button(tr("Keep below"), tr("Shows what has been printed up to this height."),
                            lambda: self._checking.keep("below"), role="small", checkable=True)
        self.above = button(
            tr("Keep above"),
            tr("Shows what comes above this height, seen from below, so that nothing on the bed side is in the way."),
            lambda: self._checking.keep("above"),
            role="small",
            checkable=True,
        )
        column.addLayout(row(self.below, self.above))
        self.whole = QCheckBox(tr("whole bed"))
        self.whole.setToolTip(tr("Shows all pieces together as they lie, not just the selected one."))
        self.whole.clicked.connect(lambda on: self._checking.look_at_whole_bed(whole=on))
        column.addWidget(self.whole)
        follow(self, self.refresh, self._checking.changed, state.view_changed, state.outcome_changed,
               state.selection_changed)

    def refresh(self) -> None:
        checking, state = self._checking, self._state
        piece = state.piece
        if piece is None:
            return
        self.below.setChecked(checking.keeps == "below")
        self.above.setChecked(checking.keeps == "above")
        self.whole.setVisible(len(state.pieces) > 1)
        with quietly(self.whole):
            self.whole.setChecked(checking.whole_bed)
        cut = math.isfinite(checking.z)
        thickness = checking.thickness
        base = 0.0 if checking.whole_bed else piece.lift
        z = checking.z if cut else checking.top
        number = min(max(math.floor((z - base) / thickness + 1e-9) + 1, 1), self._layers)
        self.layer.set_value(number)
        self.height_field.set_value(z)
        faces = checking.faces if cut else ()
        area = sum(face.area for face in faces)
        known = f" · {text.area(area)}" if faces else ""
        self.said.setText(
            tr("{number:,} of {layers:,}{known}", number=number, layers=self._layers, known=known)
            if cut
            else tr("{layers:,} layers", layers=self._layers)
        )
        words = "" if cut else tr("Drag the rail, or type a layer, to cut the piece off at a height.")
        self.view.show_faces(self._laid(faces), self._box(), self._beginning(z) if cut else (), words)

    @property
    def _layers(self) -> int:
        """The number of layers of what is viewed."""
        state, checking = self._state, self._checking
        lift = 0.0 if checking.whole_bed or state.piece is None else state.piece.lift
        return max(1, math.ceil((checking.top - lift) / checking.thickness - 1e-6))

    def _laid(self, faces: Sequence[SectionFace]) -> list[SectionFace]:
        """The sections where they lie: beside each other for the whole bed, else as the piece sits."""
        if not self._checking.whole_bed or self._state.evaluated is None:
            return list(faces)
        found = []
        for face in faces:
            laid = self._state.evaluated.laid[face.number]
            corners = face.vertices @ laid.rotation.T + laid.shift
            turn = (laid.rotation @ self._state.pieces[face.number].seat.rotation.T)[:2, :2]
            lines = tuple(line @ turn.T for line in face.lines)
            flat = np.concatenate(lines) if lines else np.empty((0, 2))
            shift = corners[:, :2].min(axis=0) - flat.min(axis=0) if len(flat) else np.zeros(2)
            found.append(SectionFace(face.number, face.z, face.area, tuple(line + shift for line in lines),
                                     face.vertices, face.triangles))
        return found

    def _box(self) -> tuple[float, float, float, float]:
        state = self._state
        if self._checking.whole_bed:
            return 0.0, 0.0, state.printer.bed_x, state.printer.bed_y
        assert state.piece is not None
        if self._boxed is None or self._boxed[0] is not state.piece:  # it is asked for at each move of the rail
            (left, front, _), (right, back, _) = state.piece.solid.turned_bounds(state.piece.seat.rotation)
            self._boxed = state.piece, (float(left), float(front), float(right), float(back))
        return self._boxed[1]

    def _beginning(self, z: float) -> tuple[Island, ...]:
        """The islands that begin in the current layer."""
        found: Inspection | None = self._checking.piece
        if found is None or self._checking.whole_bed:
            return ()
        return tuple(one for one in found.unheld if one.z <= z < one.z + found.thickness + 1e-9)
