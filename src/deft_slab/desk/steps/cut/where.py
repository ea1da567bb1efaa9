"""The page on where to cut: the cut map of a single straight cut."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox

from ....core.locale import text
from ....core.locale.translate import tr
from ...desk_state import DeskState
from ...refresh.binding import follow
from ...widgets.basics import Panel, button, label, row
from ...widgets.cut_map import CutDisc, CutsShown

FIGURES = {
    "support": tr("support left"),
    "sight": tr("seam in sight"),
    "both": tr("both combined"),
}
"""What can colour the map."""


class WherePanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._search = state, state.search
        self.figure = QComboBox()
        for name, words in FIGURES.items():
            self.figure.addItem(words, name)
        self.figure.setToolTip(
            tr("The figure that colours the map: light is little, dark is much, for the best place along each "
               "direction.")
        )
        self.figure.setAccessibleName(tr("Figure of the cut map"))
        self.figure.activated.connect(lambda n: self._search.show_figure(self.figure.itemData(n)))
        self.add(row(label(tr("Directions of a cut, by"), "faint"), self.figure, 1))
        self.map = CutDisc()
        self.map.setFixedSize(250, 250)
        self.map.hovered.connect(self._say)
        self.map.chosen.connect(self._search.take_normal)
        self._said = label("", "faint", wrap=True)
        self._said.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.add(row(1, self.map, 1))
        self.add(self._said)
        self.again = button(
            tr("Continue the search"), tr("Continues the search after it was "
                                          "stopped."), self._search.look_again, role="small"
        )
        self.add(self.again)
        self.column.addStretch(1)
        follow(self, self.refresh, self._search.changed, state.project_changed, state.view_changed)
        state.jobs.progressed.connect(self._show_buttons)

    def _middle(self) -> np.ndarray:
        """The rotation (3, 3) that turns the normal of a level cut to -z."""
        return self._state.plan.tilt.rotation if self._state.is_open else np.eye(3)

    def refresh(self) -> None:
        search = self._search
        self.setEnabled(self._state.is_open)
        self.figure.setCurrentIndex(list(FIGURES).index(search.figure))
        self._show_buttons()
        if search.map is None:
            self.map.show_map(None)
            self._said.setText(self._state.ways.problem)
        else:
            old = search.replaced
            now = None if old is None else np.array(old.normal)
            values = search.values(search.map)
            self.map.show_map(CutsShown(self._middle(), search.map.normals, values, now))
            self._say(self.map.pointer)

    def _show_buttons(self, *_progress: object) -> None:
        search = self._search
        stopped = self._state.up_to_date and search.map is None and not search.busy and not self._state.ways.problem
        self.again.setVisible(stopped)

    def _say(self, normal: np.ndarray | None) -> None:
        """Show the figures of the best place along the direction under the pointer; without a direction, what the
        map shows.
        """
        search = self._search
        if search.map is None:
            return
        if normal is None:
            moves = tr("moves the selected cut") if search.replaced else tr("adds a cut")
            self._said.setText(
                tr(
                    "Light means that the best cut in this direction costs little. Level cuts are in the middle, "
                    "upright ones at the rim, and the cross marks the selected cut. A click {moves}.",
                    moves=moves,
                )
            )
            return
        found = search.map
        n, k = search.best_place(found, normal)
        if not found.allowed(search.wishes)[n].any():
            self._said.setText(tr("No place along this direction meets the conditions of the page Plans."))
            return
        flat = float(found.flat[n, k])
        flat_words = tr("all flat {volume}", volume=text.volume(flat)) if np.isfinite(flat) else tr("not all flat")
        fits = tr("both fit") if found.fits[n, k] > 0.5 else tr("a side does not fit")
        self._said.setText(
            tr(
                "Best place in this direction: ≈ support {volume}, {flat_words}, seam in sight {length}, cut area "
                "{area}, {fits}.",
                volume=text.volume(float(found.support[n, k])),
                flat_words=flat_words,
                length=text.mm(float(found.sight[n, k])),
                area=text.area(float(found.area[n, k])),
                fits=fits,
            )
        )
