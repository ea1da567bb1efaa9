"""Where: the cut map, and the trade-off list."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QComboBox

from ...replies import CutShown
from ...whole import DeskState
from ...widgets import text
from ...widgets.binding import follow
from ...widgets.charts import TradeOffChart
from ...widgets.cut_map import CutDisc, CutsShown
from ...widgets.listed import ListedRow
from ...widgets.number import NumberField
from ...widgets.parts import Panel, button, emptied, label, row

FIGURES = {
    "support": "support left",
    "sight": "seam in sight",
    "both": "both, by what is usual",
}
"""What can colour the map."""


class CutRow(ListedRow):
    """A cut worth making: what it leaves, how its pieces sit."""

    def __init__(self, number: str, shown: CutShown, chosen: bool, keep: Callable[[], None]) -> None:
        count = len(shown.pieces)
        fits = "" if shown.fits else " · ! too large"
        show = f" · {text.mm(shown.show)} on show" if shown.show > 0.5 else ""
        super().__init__(
            number, shown.picture, f"{_percent(shown.left)} left · {text.mm(shown.sight)} seen",
            f"{shown.flat} of {count} sit flat{fits}{show}", text.volume(shown.support),
            good=shown.flat == count and shown.fits, chosen=chosen, keep=keep, kept="cut",
        )  # fmt: skip
        self.setAccessibleName(f"Cut {number}: {100 * shown.left:.0f} % left, {shown.sight:.0f} mm in sight")
        self.setToolTip(
            f"Support {text.volume(shown.support)}, overhang {text.area(shown.overhang)}, seam in sight "
            f"{text.mm(shown.sight)}, across show faces {text.mm(shown.show)}, cut area {text.area(shown.area)}.\n"
            f"{'; '.join(shown.pieces)}.\nClick to cut here."
        )


def _percent(share: float) -> str:
    return f"{100 * share:.1f} %" if share < 0.1 else f"{100 * share:.0f} %"


class WherePanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._search = state, state.search
        self._rows_for: tuple[object, ...] = ()
        self.figure = QComboBox()
        for name, words in FIGURES.items():
            self.figure.addItem(words, name)
        self.figure.setToolTip("What colours the map: light is little, dark is much; the best place along each way.")
        self.figure.setAccessibleName("Figure of the cut map")
        self.figure.activated.connect(lambda n: self._search.show_figure(self.figure.itemData(n)))
        self.add(row(label("Where a cut can face, by", "faint"), self.figure, 1))
        self.map = CutDisc()
        self.map.setFixedSize(166, 166)
        self.map.hovered.connect(self._say)
        self.map.chosen.connect(self._search.take_normal)
        self._said = label("", "faint", wrap=True)
        self._said.setAlignment(Qt.AlignmentFlag.AlignTop)
        across = row(self.map)
        across.addWidget(self._said, 1)
        self.add(across)
        self.again = button("Look on", "Goes on looking after it was stopped.", self._search.look_again, role="small")
        self.add(self.again)
        self.head("Trade-offs: support left against seam in sight")
        self.chart = TradeOffChart()
        self.chart.chosen.connect(self._take)
        self.add(self.chart)
        self.cuts = self.add_list()
        self.cuts.setSpacing(2)
        self.head("What to look for")
        self.fit = QCheckBox("Pieces that fit the printer first")
        self.fit.setToolTip("Leaves out places whose pieces are too large, while there are others.")
        self.fit.clicked.connect(lambda on: self._search.wish(must_fit=on))
        self.add(self.fit)
        self.limit = NumberField("mm", low=0, high=1e5, step=10, decimals=0)
        self.limit.setAccessibleName("Seam in sight, at most")
        self.limit.setToolTip("Only cuts with no more seam in sight than this; 0: any.")
        self.limit.committed.connect(lambda value: self._search.wish(seam_limit=value or None))
        self.add(row(label("Seam in sight, at most"), 1, self.limit))
        self.show_factor = NumberField("", low=0, high=100, step=1, decimals=1)
        self.show_factor.setAccessibleName("Seam across show faces counts")
        self.show_factor.setToolTip("So many mm of seam in sight one mm across a show face counts as.")
        self.show_factor.committed.connect(lambda value: self._search.wish(show_factor=value))
        self.add(row(label("Seam across show faces counts (times)"), 1, self.show_factor))
        self.pieces = NumberField("", low=2, high=100, step=1, decimals=0)
        self.pieces.setAccessibleName("Pieces from one cut, at most")
        self.pieces.setToolTip("Cuts that part it into more pieces than this are left out.")
        self.pieces.committed.connect(lambda value: self._search.wish(pieces=round(value)))
        self.add(row(label("Pieces from one cut, at most"), 1, self.pieces))
        self.column.addStretch(1)
        follow(self, self.refresh, self._search.changed, state.project_changed, state.view_changed)
        state.jobs.progressed.connect(self._show_buttons)

    def _middle(self) -> np.ndarray:
        """(3, 3): the normal of a level cut to -z."""
        return self._state.plan.tilt.rotation if self._state.is_open else np.eye(3)

    def refresh(self) -> None:
        search = self._search
        self.setEnabled(self._state.is_open)
        self.figure.setCurrentIndex(list(FIGURES).index(search.figure))
        self._show_buttons()
        wishes = search.wishes
        self.fit.setChecked(wishes.must_fit)
        self.limit.set_value(wishes.seam_limit or 0)
        self.show_factor.set_value(wishes.show_factor)
        self.pieces.set_value(wishes.pieces)
        shown = search.shown or ()
        if search.map is None:
            self.map.show_map(None)
            self._said.setText(self._why_nothing())
        else:
            old = search.replaced
            listed = tuple(np.array(one.cut.normal) for one in shown)
            now = None if old is None else np.array(old.normal)
            values = search.values(search.map)
            self.map.show_map(CutsShown(self._middle(), search.map.normals, values, now, listed))
            self._say(self.map.pointer)
        self._fill(shown)

    def _why_nothing(self) -> str:
        state = self._state
        problem = state.evaluated.outcome.defects.sentence() if state.evaluated else ""
        return f"{problem} Size can close it; then it can be cut." if problem else ""

    def _show_buttons(self, *_progress: object) -> None:
        search = self._search
        stopped = self._state.up_to_date and search.shown is None and not search.busy and not self._why_nothing()
        self.again.setVisible(stopped)

    def _say(self, normal: np.ndarray | None) -> None:
        """The figures of the best place along the direction under the pointer; without one, what the map is."""
        search = self._search
        if search.map is None:
            return
        if normal is None:
            moves = "moves the selected cut" if search.replaced else "adds a cut"
            self._said.setText(
                "Light: the best place along this direction costs little. Middle: level cuts; rim: upright ones. "
                f"Numbers: the list; cross: this cut. A click {moves}."
            )
            return
        found = search.map
        n, k = search.best_place(found, normal)
        if not np.isfinite(found.price[n, k]) or not found.allowed(search.wishes)[n].any():
            self._said.setText("No place along this direction is as wished.")
            return
        flat = f"{found.flat[n, k]:.0f} of 2 sides sit flat"
        fits = "both fit" if found.fits[n, k] > 0.5 else "a side does not fit"
        self._said.setText(
            f"Best along it: ≈ support {text.volume(float(found.support[n, k]))}, seam in sight "
            f"{text.mm(float(found.sight[n, k]))}, cut area {text.area(float(found.area[n, k]))}, {flat}, {fits}."
        )

    def _take(self, n: int) -> None:
        if self._search.shown:
            self._search.take_shown(self._search.shown[n])

    def _fill(self, shown: tuple[CutShown, ...]) -> None:
        search = self._search
        now = search.replaced
        chosen = next(
            (n for n, one in enumerate(shown) if now and one.cut.normal == now.normal and one.cut.offset == now.offset),
            -1,
        )
        key = (search.shown, chosen)
        if key == self._rows_for and self.cuts.count():
            return
        self._rows_for = key
        self.chart.show_cuts(np.array([one.sight for one in shown]), np.array([one.left for one in shown]), chosen)
        emptied(self.cuts)
        if search.shown == ():
            self.cuts.addWidget(label("No cut is as wished below. Allow more seam or more pieces.", "look", wrap=True))
        for number, one in enumerate(shown, 1):
            line = CutRow(str(number), one, number - 1 == chosen, partial(search.keep, one))
            line.clicked.connect(partial(search.take_shown, one))
            self.cuts.addWidget(line)
