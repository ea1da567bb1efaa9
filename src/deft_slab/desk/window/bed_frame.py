"""The bed with what lies over it: which pieces are shown, standard views, the legend, notices."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QMenu, QSlider, QToolButton, QVBoxLayout, QWidget

from ...core.locale.translate import tr
from ..actions.verbs import Verbs
from ..desk_state import DeskState
from ..guide.card import GuideCard
from ..refresh.binding import follow, quietly
from ..scene.bed_view import BedView
from ..scene.camera import VIEWS
from ..widgets.basics import button, label, row
from ..widgets.legend import OverhangLegend
from ..widgets.notice import Notice
from .layer_card import LayerCard
from .recovered_work import LeftWorkCard
from .start_card import Beginning


class BedFrame(QWidget):
    """The bed with what lies over it.

    Attributes
    ----------
    bed : BedView
        The 3D view.
    begin : Beginning
        What to do while nothing is open.
    """

    twin_wanted = Signal()

    def __init__(self, state: DeskState, notice: Notice, verbs: Verbs) -> None:
        super().__init__()
        self._state = state
        self.bed = BedView(state)
        self.bed.hovered.connect(self._on_hovered)
        stack = QVBoxLayout(self)
        stack.setContentsMargins(0, 0, 0, 0)
        stack.addWidget(self.bed)
        over = QVBoxLayout(self.bed)
        over.setContentsMargins(12, 10, 12, 12)
        over.addLayout(self._switches())
        self.left_work = LeftWorkCard(state)
        self.begin = Beginning(state, verbs)
        self.guide = GuideCard(verbs.guide)
        over.addWidget(self.left_work)
        over.addWidget(self.guide)
        over.addWidget(notice)
        over.addStretch(1)
        over.addWidget(self.begin, 0, Qt.AlignmentFlag.AlignHCenter)
        over.addStretch(1)
        self.legend = OverhangLegend()
        self.legend.toggled.connect(self._toggle_angle)
        self._apart_card = QWidget()
        self.apart = QSlider(Qt.Orientation.Horizontal)
        self.apart.setRange(0, 100)
        self.apart.setValue(round(100 * state.view.apart))
        self.apart.setFixedWidth(120)
        self.apart.setAccessibleName(tr("Pulled apart"))
        self.apart.setToolTip(tr("Pulls the pieces apart along their cuts; the plan stays as it is."))
        self.apart.valueChanged.connect(lambda value: state.show(apart=value / 100))
        self._apart_card.setLayout(row(label(tr("pulled apart"), "faint"), self.apart))
        self._hint = label("", "hint")
        self._hint.setFixedHeight(28)
        self._hint.hide()
        over.addLayout(row(self._hint, 1))  # a line of its own: beside the legend a long one would be cut off
        self.layer_card = LayerCard(state)
        bottom = row(self.legend, self._apart_card, 1, self.layer_card, spacing=12)
        for part in (self.legend, self._apart_card):
            bottom.setAlignment(part, Qt.AlignmentFlag.AlignBottom)
        over.addLayout(bottom)
        follow(
            self, self.refresh, state.project_changed, state.opened, state.view_changed, state.step_changed,
            state.outcome_changed,
        )

    def _switches(self) -> QHBoxLayout:
        state = self._state
        self.on_bed = button(tr("On the bed"), tr("Shows each piece in its own seat, ready to print."),
                             lambda: state.show(in_place=False), checkable=True)
        self.in_place = button(tr("In place"), tr("Shows the pieces where they belong on the prop, pulled apart."),
                               lambda: state.show(in_place=True), checkable=True)
        self.overhang = button(tr("Overhang"), tr("Colours the facets that need support."),
                               lambda: state.show(show_overhang=self.overhang.isChecked()),
                               checkable=True)
        self.support = button(tr("Support"), tr("Shows the space that support would fill."),
                              lambda: state.show(show_support=self.support.isChecked()), checkable=True)
        self._views = QToolButton()
        self._views.setText(tr("View from …"))
        self._views.setToolTip(tr("Standard views of the bed. Dragging turns the view, the wheel zooms."))
        self._views.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self)
        for view in VIEWS:
            menu.addAction(tr(view), partial(self.bed.look_from, view))
        self._views.setMenu(menu)
        self._views.setFixedHeight(28)
        self.below = button(tr("From below"), tr("Looks at the undersides, up through the bed, and stays below it."),
                            self._look_below, checkable=True)
        self.twin_button = button(tr("Twin view"), tr("Shows two choices side by side, with the figures that "
                                                      "differ."),
                                  self.twin_wanted.emit)
        return row(
            self.on_bed, self.in_place, self.overhang, self.support, self.below, self._views, self.twin_button, 1
        )

    def _look_below(self) -> None:
        self._state.show(from_below=self.below.isChecked())
        self.bed.look_from("From below" if self.below.isChecked() else "From the front corner")

    def _toggle_angle(self) -> None:
        settings = self._state.settings
        other = "bed" if settings.angle_from == "wall" else "wall"
        self._state.change_settings(angle_from=other)

    def _on_hovered(self, words: str) -> None:
        self._hint.setText(words)
        self._hint.setVisible(bool(words))

    def refresh(self) -> None:
        state, view = self._state, self._state.view
        several, sizing = len(state.pieces) > 1, state.step == "Size"
        self.begin.setVisible(not state.is_open)
        self.on_bed.setChecked(not view.in_place)
        self.in_place.setChecked(view.in_place)
        for part in (self.on_bed, self.in_place):
            part.setVisible(several and not sizing)
        self.overhang.setChecked(view.show_overhang)
        self.support.setChecked(view.show_support)
        posed = state.is_open and not view.in_place and not sizing
        for part in (self.overhang, self.support):
            part.setVisible(posed)
        self.legend.setVisible(posed and view.show_overhang)
        if state.is_open:
            self.legend.show_angles(state.plan.threshold, state.settings.angle_from)
        self.layer_card.setVisible(posed and state.step == "Check" and state.piece is not None)
        self.twin_button.setVisible(state.is_open and bool(state.project.choices))
        self.below.setChecked(view.from_below)
        with quietly(self.apart):
            self.apart.setValue(round(100 * view.apart))
        self._apart_card.setVisible(several and view.in_place and not sizing and view.fitted is None)
