"""A chart that compares the choices: what printing each takes, against how much of its seams is visible."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QVBoxLayout, QWidget

from ....core.exporting.print_job import PrintJob
from ....core.locale import text
from ....core.locale.translate import tr
from ...desk_state import DeskState
from ...look import palette
from ...refresh.binding import follow
from ...widgets.basics import button, label, row
from ...widgets.dots import DotsChart

_HEIGHT = 150


@dataclass(frozen=True)
class Axis:
    """A figure for the vertical axis.

    Attributes
    ----------
    of : Callable[[PrintJob], float]
        Takes the figure from a job.
    shown : Callable[[float], str]
        Formats it with its unit.
    """

    word: str
    tip: str
    of: Callable[[PrintJob], float]
    shown: Callable[[float], str]


AXES = (
    Axis(tr("Hours"), tr("The time until all beds are printed."), lambda work: work.elapsed, text.hours),
    Axis(tr("Material"), tr("The material of all pieces and their support."), lambda work: work.material, text.grams),
    Axis(tr("Cost"), tr("Material and hours, in your own currency."), lambda work: work.cost, lambda v: f"{v:,.2f}"),
)


@dataclass(frozen=True)
class ChoiceDot:
    """A choice in the chart.

    Attributes
    ----------
    key : str
        The key of the choice; None: the plan on the bed.
    sight : float, mm
        Visible seam, in mm.
    up : float
        The figure on the vertical axis.
    fits, best : bool
        Whether all pieces fit; whether no other choice is better in both figures.
    """

    key: str | None
    name: str
    sight: float
    up: float
    fits: bool
    best: bool


def front_of(found: list[tuple[str | None, str, float, float, bool]]) -> tuple[ChoiceDot, ...]:
    """The dots of the choices. Each choice is given as key, name, visible seam in mm, figure on the vertical axis,
    and whether all pieces fit.
    """
    dots = []
    for key, name, sight, up, fits in found:
        beaten = any(
            s <= sight + 1e-9 and u <= up + 1e-9 and (s < sight - 1e-9 or u < up - 1e-9) for _, _, s, u, _ in found
        )
        dots.append(ChoiceDot(key, name, sight, up, fits, not beaten))
    return tuple(dots)


class ChoicesChart(DotsChart):
    """A dot for each measured choice. Farther left, less seam is visible; lower down, printing takes less."""

    def __init__(self) -> None:
        tip = tr(
            "Each dot is a choice. Farther left, less seam is in sight; lower down, it takes less. A round dot is "
            "beaten by no other choice on both, a lozenge is. Struck through means that a piece does not fit. "
            "Click a dot, or use the arrow keys and Enter, to put that choice on the bed."
        )
        super().__init__(tr("Compare choices"), tip, _HEIGHT)
        self.dots: tuple[ChoiceDot, ...] = ()
        self._axis = AXES[0]

    def show_choices(self, dots: tuple[ChoiceDot, ...], axis: Axis) -> None:
        self.dots, self._axis = dots, axis
        self.point_at(min(self.at, len(dots) - 1))

    @property
    def count(self) -> int:
        return len(self.dots)

    def place_of(self, n: int) -> QPointF:
        room, dot = self.room.adjusted(12, 14, -14, -12), self.dots[n]
        wide, high = (
            max(max(values), 1e-9) for values in zip(*((one.sight, one.up) for one in self.dots), strict=True)
        )
        return QPointF(room.left() + room.width() * dot.sight / wide, room.bottom() - room.height() * dot.up / high)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, room = self.begin(), self.room
        if not self.dots:
            painter.setPen(QColor(palette.FAINT))
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, tr("Measuring the choices …"))
            painter.end()
            return
        best = sorted((n for n, dot in enumerate(self.dots) if dot.best), key=lambda n: self.place_of(n).x())
        painter.setPen(QPen(QColor(palette.FAINT), 1.0, Qt.PenStyle.DashLine))
        painter.drawPolyline(QPolygonF([self.place_of(n) for n in best]))
        taken: list[QRectF] = []
        for n, dot in enumerate(self.dots):
            self._paint_name(painter, n, taken)
            colour = QColor(palette.MADDER if dot.key is None else palette.TEAL if dot.best else palette.INK)
            self.paint_dot(painter, n, colour, round_one=dot.best, hollow=False, struck=not dot.fits)
        left, right = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
        most = max(dot.up for dot in self.dots)
        self.words(painter, tr("↑ {figure}, up to {most}", figure=self._axis.word, most=self._axis.shown(most)),
                   left, palette.FAINT,
                   foot=False)
        self.words(painter, text.mm(0.0), left, palette.FAINT, foot=True)
        seen = text.mm(max(dot.sight for dot in self.dots))
        self.words(painter, tr("seam in sight → {seen}", seen=seen), right, palette.FAINT, foot=True)
        painter.end()

    def _paint_name(self, painter: QPainter, n: int, taken: list[QRectF]) -> None:
        """Paint the name of a choice beside its dot, on a side with room; omit it where there is none."""
        at, name = self.place_of(n), text.shortened(self.dots[n].name, 18)
        wide = painter.fontMetrics().horizontalAdvance(name) + 2
        for x in (at.x() + 9, at.x() - 9 - wide):
            for y in (at.y() - 7, at.y() - 19, at.y() + 6):
                room = QRectF(x, y, wide, 13)
                if self.room.contains(room) and not any(room.intersects(other) for other in taken):
                    taken.append(room)
                    painter.fillRect(room, QColor(palette.SHEET))
                    painter.setPen(QColor(palette.INK if self.dots[n].key is not None else palette.MADDER))
                    painter.drawText(room, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)
                    return


class ChoicesFront(QWidget):
    """The chart, the choice of its vertical axis, and what is said of the choice under the pointer."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._axis = state, AXES[0]
        self.chart = ChoicesChart()
        self.chart.chosen.connect(self._take)
        self.chart.pointed.connect(self._say)
        self.axes = {
            axis.word: button(axis.word, axis.tip, partial(self._turn_to, axis), role="small", checkable=True)
            for axis in AXES
        }
        self.said = label("", "faint", wrap=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(row(label(tr("Choices, by"), "faint"), 1, *self.axes.values(), spacing=3))
        column.addWidget(self.chart)
        column.addWidget(self.said)
        follow(self, self.refresh, state.outcome_changed, state.entries_changed, state.project_changed)

    def _turn_to(self, axis: Axis) -> None:
        self._axis = axis
        self.refresh()

    def refresh(self) -> None:
        state = self._state
        for word, one in self.axes.items():
            one.setChecked(word == self._axis.word)
        found: list[tuple[str | None, str, float, float, bool]] = []
        if state.is_open:
            same = next((key for key, _, plan in state.compared if plan == state.plan), None)
            rows = [(key, name, plan) for key, name, plan in state.compared if key != same]
            for key, name, plan in [(None, tr("On the bed now"), state.plan), *rows]:
                entry = state.entry(plan)
                if entry is not None and entry.work is not None:
                    totals = entry.totals
                    found.append((key, name, totals.seam_in_sight_mm, self._axis.of(entry.work),
                                  totals.fitting_pieces == totals.pieces))
        self.chart.show_choices(front_of(found), self._axis)
        self._say(self.chart.at)

    def _say(self, n: int) -> None:
        if not 0 <= n < len(self.chart.dots):
            self.said.setText(tr("Keep choices in the ledger below to compare them here."))
            return
        dot = self.chart.dots[n]
        beaten = "" if dot.best else tr(" · another choice beats it on both")
        self.said.setText(
            tr(
                "{name}: {figure} · {length} of seam in sight{beaten}",
                name=dot.name,
                figure=self._axis.shown(dot.up),
                length=text.mm(dot.sight),
                beaten=beaten,
            )
        )

    def _take(self, n: int) -> None:
        key = self.chart.dots[n].key
        if key is not None:
            self._state.choosing.bring_back(key)
