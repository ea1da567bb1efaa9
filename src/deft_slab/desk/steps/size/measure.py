"""The page on measuring: what a caliper would read."""

from __future__ import annotations

from functools import partial

import numpy as np

from ....core.locale import text
from ....core.locale.preferences import written
from ....core.locale.translate import term, tr
from ...desk_state import DeskState
from ...refresh.binding import follow
from ...widgets.basics import Panel, button, label, row, say
from ...widgets.number import NumberField

_KINDS = (
    ("distance", tr("Distance …"), tr("Click two points to see their distance.")),
    ("wall", tr("Wall …"), tr("Click a place to measure the wall straight through it.")),
    ("edge", tr("Round edge …"), tr("Click near the rim of a hole or a round foot to measure its diameter.")),
)


class MeasurePanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.head(tr("Measure on the model"))
        self.kinds = {
            kind: button(words, tip, partial(self._begin, kind), checkable=True) for kind, words, tip in _KINDS
        }
        self.add(row(*self.kinds.values(), 1))
        self._said = label("", "figure", wrap=True)
        self.add(self._said)
        self.head(tr("Thin walls"))
        self.limit = NumberField("mm", low=0.01, high=1e3, step=0.1, decimals=2)
        self.limit.setAccessibleName(tr("Thinner than"))
        self.limit.setToolTip(
            tr("Walls thinner than this are coloured. It starts as two line widths of the printer.")
        )
        self.limit.committed.connect(self._on_limit)
        self.walls = button(tr("Colour walls thinner than"), tr("Measures the wall everywhere and colours what is "
                                                                  "thinner."),
                            self._toggle_walls, checkable=True)
        self.add(row(self.walls, 1, self.limit))
        self._found = label("", "faint", wrap=True)
        self.add(self._found)
        self.head(tr("The model"))
        self._rows = self.add_figures(
            (term("Size as opened"), tr("The size in units of the file.")), ("Size", tr("The size of the model as it "
                                                                               "stands, in mm.")),
            (term("Volume"), tr("The volume inside the closed surface.")),
            (term("Surface area"), tr("The area of all facets.")), (term("Triangles"), tr("The number of bodies after "
                                                                                 "mending.")), (term("Bodies"),
                    tr("The number of triangles in the file.")),
        )
        self.column.addStretch(1)
        follow(
            self, self.refresh,
            state.outcome_changed, state.project_changed, state.view_changed, state.pointing.changed,
        )
        self._limit_for: object = None

    def _begin(self, kind: str) -> None:
        self._state.pointing.begin(kind if self.kinds[kind].isChecked() else "")

    def _toggle_walls(self) -> None:
        self._state.measuring.show_walls(self.limit.value if self.walls.isChecked() else None)

    def _on_limit(self, limit: float) -> None:
        if self._state.measuring.walls is not None:
            self._state.measuring.show_walls(limit)

    def refresh(self) -> None:
        state, pointing, measuring = self._state, self._state.pointing, self._state.measuring
        self.setEnabled(state.is_open)
        if self._limit_for != state.printer:
            self._limit_for = state.printer
            self.limit.set_value(round(state.printer.thinnest_wall, 2))
        for kind, choose in self.kinds.items():
            choose.setChecked(pointing.kind == kind)
        reading = pointing.reading
        said = reading.words if reading and reading.kind in self.kinds else tr("Nothing measured yet.")
        self._said.setText(said)
        self.walls.setChecked(measuring.walls is not None)
        if not state.is_open or state.evaluated is None:
            return
        self._say_walls()
        raw, pieces = state.model.solid.size, state.pieces
        self._rows["Size as opened"].setText(
            written(" × ".join(f"{value:.4g}" for value in raw)) + f" {state.plan.unit}"
        )
        self._rows["Size"].setText(text.box(tuple((raw * np.abs(state.plan.factors)).tolist())))
        before = state.evaluated.outcome.volume_before_mm3
        self._rows["Volume"].setText(text.volume(before) if before is not None else tr("none: not closed"))
        self._rows["Surface area"].setText(text.area(sum(float(piece.solid.areas.sum()) for piece in pieces)))
        self._rows["Triangles"].setText(text.count(sum(len(piece.solid.triangles) for piece in pieces)))
        self._rows["Bodies"].setText(str(max(1, len(state.model.bodies))))

    def _say_walls(self) -> None:
        measuring = self._state.measuring
        if measuring.walls is None:
            self._found.setText("")
            return
        area = 0.0
        for piece, walls in zip(self._state.pieces, measuring.walls.behind, strict=False):
            area += float(piece.solid.areas[walls < measuring.wall_limit].sum())
        found = tr(
            "{area} of the surface has a wall thinner than {wall_limit}",
            area=text.area(area),
            wall_limit=text.given(measuring.wall_limit),
        )
        words = (
            found if area else tr("No wall is thinner than {wall_limit}", wall_limit=text.given(measuring.wall_limit))
        )
        say(
            self._found,
            tr("{words}; the thinnest is {thinnest}.", words=words, thinnest=text.length(measuring.walls.thinnest, 2)),
            "look" if area else "good",
        )
