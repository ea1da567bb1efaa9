"""The page on faces: what must come out clean, who looks at it, and where support is wanted or refused."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
from PySide6.QtWidgets import QComboBox, QGridLayout, QPushButton

from ....core.document.marks import Audience
from ....core.geometry.orientation import Tilt
from ....core.locale import text
from ....core.locale.translate import term, tr
from ...desk_state import DeskState
from ...refresh.binding import follow
from ...state.marks import MEANINGS
from ...widgets.audience_view import AudienceView
from ...widgets.basics import Panel, button, label, row
from ...widgets.number import NumberField

_MEANS = {
    "show": (tr("Show face"), tr("Must come out clean. Scars on it are counted separately. Drawn as teal dots.")),
    "hold": (tr("Hold spot"), tr("Undersides here get support even if they are not past the threshold. Drawn as "
                                 "amber squares.")),
    "clear": (tr("Clear spot"), tr("No support here. What would hang in the air is counted. Drawn as ink crosses.")),
    "never": (tr("No cut"), tr("No cut may cross the surface here, for example an eye. Drawn as madder bars.")),
    "prefer": (tr("Seam welcome"), tr("Seams count less here, for example along a belt, a beam or a groove. Drawn "
                                      "as teal rings.")),
}
_WAYS = (
    ("brush", tr("Brush …"), tr("Marks what you drag over.")),
    ("grown", tr("Region …"), tr("Marks the smooth surface around a click, up to creases.")),
    ("ball", tr("Ball …"), tr("Marks the surface inside a ball around a click.")),
    ("box", tr("Box …"), tr("Marks the surface inside a box around a click.")),
)
_LOOKING = (("everywhere", tr("from everywhere")), ("front", tr("from the front")), ("all round",
                                                                                     tr("from all round")),
            ("above", tr("from above")))


class FacesPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._marker = state, state.marker
        self.head(tr("What to mark"))
        self.meanings: dict[str, QPushButton] = {}
        for meaning, (words, tip) in _MEANS.items():
            self.meanings[meaning] = button(words, tip, partial(self._mean, meaning), checkable=True, role="small")
        first, second = list(self.meanings.values())[:3], list(self.meanings.values())[3:]
        self.add(row(*first, 1))
        self.add(row(*second, 1))
        self.head(tr("How to mark it"))
        grid = QGridLayout()
        grid.setSpacing(6)
        self.ways: dict[str, QPushButton] = {}
        for place, (kind, words, tip) in enumerate(_WAYS):
            self.ways[kind] = button(words, tip, partial(self._begin, kind), checkable=True)
            grid.addWidget(self.ways[kind], place // 2, place % 2)
        self.seen = button(tr("Mark what is seen"), tr("Marks everything of which the audience below sees at least "
                                                      "a quarter."),
                           self._marker.what_is_seen)
        self.detail = button(tr("Mark the most detailed"), tr("Marks, as a suggestion, the 15 % of the surface that "
                                                              "bend "
                                                     "most."),
                             self._marker.most_detailed)
        grid.addWidget(self.seen, 2, 0)
        grid.addWidget(self.detail, 2, 1)
        self.add(grid)
        self.reach = NumberField("mm", low=0.1, high=1000, step=1, decimals=1)
        self.reach.setAccessibleName(tr("Size of the brush"))
        self.reach.setToolTip(tr("The radius of the brush and the ball, and half the side of the box."))
        self.reach.committed.connect(lambda mm: self._marker.set(reach=mm))
        self.crease = NumberField("°", low=1, high=180, step=5, decimals=0)
        self.crease.setAccessibleName(tr("Crease"))
        self.crease.setToolTip(
            tr("A region ends where the surface bends by more than this from one facet to the next.")
        )
        self.crease.committed.connect(lambda degrees: self._marker.set(crease=degrees))
        self.add(row(label(tr("radius"), "faint"), self.reach, label(tr("crease"), "faint"), self.crease, 1))
        self.erase = button(tr("Rub out instead"), tr("Removes marks of this kind where you brush or click."),
                            self._erase,
                            checkable=True, role="small")
        self.none = button(
            tr("Rub out all of these"), tr("Removes all marks of this kind."), self._rub_out, role="small"
        )
        self.add(row(self.erase, self.none, 1))
        self.head(tr("Marked on this piece"))
        self._rows = self.add_figures(
            (term("Show faces"), tr("The area that must come out clean.")), (term("scarred there"),
                                                                         tr("The touched area on show faces.")),
            (term("Hold spots"), tr("The area that gets support wherever it faces down.")),
            (term("Clear spots"), tr("The area that is kept free of support.")),
            (term("left in the air"), tr("Area that needs support and is refused it.")),
        )
        self.head(tr("Audience"))
        self.looking = QComboBox()
        for name, words in _LOOKING:
            self.looking.addItem(words, name)
        self.looking.setAccessibleName(tr("Audience"))
        self.looking.setToolTip(
            tr("From where the prop is seen. It decides which seams are in sight, and what “Mark what is seen” "
               "marks.")
        )
        self.looking.activated.connect(lambda n: self._audience(looking=self.looking.itemData(n)))
        self.spread = NumberField("°", low=5, high=180, step=5, decimals=0)
        self.spread.setAccessibleName(tr("Spread of the audience"))
        self.spread.setToolTip(tr("How far the audience stands to either side."))
        self.spread.committed.connect(lambda degrees: self._audience(spread=degrees))
        self.view = AudienceView()
        self.view.turned.connect(self._turn_front)
        grid = QGridLayout()
        grid.addWidget(self.view, 0, 0, 3, 1)
        grid.addWidget(self.looking, 0, 1)
        grid.addLayout(row(label(tr("to either side"), "faint"), self.spread), 1, 1)
        grid.addWidget(label(tr("● the front of the prop, seen from above"), "faint", wrap=True), 2, 1)
        self.add(grid)
        self.column.addStretch(1)
        follow(
            self, self.refresh,
            state.outcome_changed, state.project_changed, state.selection_changed, state.view_changed,
            self._marker.changed,
        )

    # what the user does

    def _mean(self, meaning: str) -> None:
        self._marker.set(meaning=meaning)

    def _begin(self, kind: str) -> None:
        self._state.pointing.begin("" if self._state.pointing.kind == kind else kind)

    def _erase(self) -> None:
        self._marker.set(erase=self.erase.isChecked())

    def _rub_out(self) -> None:
        self._state.marker.unmark_all(self._marker.meaning)

    def _opened(self) -> np.ndarray:
        """The rotation (3, 3) from the file's axes to how the model was opened."""
        return self._state.plan.model.tilt_as_opened.rotation

    def _audience(self, **what: object) -> None:
        if not self._state.is_open:
            return
        up = tuple(float(value) for value in self._opened().T @ [0.0, 0.0, 1.0])
        values = {**self._state.plan.audience.model_dump(), "up": up, **what}
        self._state.marker.set_audience(Audience.model_validate(values))

    def _turn_front(self, degrees: float) -> None:
        if not self._state.is_open:
            return
        opened = self._opened()
        turn = Tilt.turn((0.0, 0.0, 1.0), degrees).rotation
        front = opened.T @ turn @ opened @ np.array(self._front())
        self._audience(front=tuple(float(value) for value in front))

    def _front(self) -> tuple[float, float, float]:
        """The direction in which the audience stands. Until it is turned, a file that stands on Y has a front of its
        own.
        """
        audience = self._state.plan.audience
        if audience == Audience() and self._state.model.up_stated:
            x, y, z = self._opened().T @ [0.0, -1.0, 0.0]
            return float(x), float(y), float(z)
        return audience.front

    # what is shown

    def refresh(self) -> None:
        state, marker = self._state, self._marker
        self.setEnabled(state.is_open)
        for meaning, way in self.meanings.items():
            way.setChecked(marker.meaning == meaning)
        for kind, way in self.ways.items():
            way.setChecked(state.pointing.kind == kind)
        self.erase.setChecked(marker.erase)
        self.reach.set_value(marker.reach)
        self.crease.set_value(marker.crease)
        self.none.setToolTip(tr("Removes all marks of the kind “{meanings}”.", meanings=MEANINGS[marker.meaning][0]))
        if not state.is_open or state.piece is None:
            return
        piece, audience = state.piece, state.plan.audience
        areas = [float(piece.solid.areas[(piece.marks & bit) > 0].sum()) for bit in (1, 2, 4)]
        for name, area in {
            "Show faces": areas[0], "scarred there": piece.figures.show_scar_mm2, "Hold spots": areas[1],
            "Clear spots": areas[2], "left in the air": piece.figures.unheld_area_mm2,
        }.items():
            self._rows[name].setText(text.area(area))
        self.looking.setCurrentIndex([name for name, _ in _LOOKING].index(audience.looking))
        self.spread.set_value(audience.spread)
        self.spread.setEnabled(audience.looking in ("front", "above"))
        x, y, _ = self._opened() @ np.array(self._front())
        self.view.show_audience(audience, math.degrees(math.atan2(y, x)))
