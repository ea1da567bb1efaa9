"""Join: where pieces meet, how much there is to glue, and how much of the seam is seen."""

from __future__ import annotations

from ..state import DeskState
from ..widgets import text
from ..widgets.parts import Panel, emptied, figure_row, label, line


class JoinPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.head("Joins, one for each cut")
        self._list = self.add_list()
        self.column.addStretch(1)
        state.outcome_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        emptied(self._list)
        evaluated = self._state.evaluated
        if evaluated is None or not evaluated.outcome.seams:
            self._list.addWidget(label("Nothing to join yet: the model is whole. Cut it first.", "faint", wrap=True))
            return
        for cut_id, seam in evaluated.outcome.seams.items():
            self._list.addWidget(label(evaluated.outcome.plan.cut(cut_id).name, "title"))
            for name, tip, shown in (
                ("Area to glue", "Flat cut faces, counted once.", text.area(seam.cut_area)),
                ("Seam", "Length of the join on the surface.", text.mm(seam.length)),
                ("Seam in sight", "Weighted by how much of it is seen from all sides.", text.mm(seam.in_sight)),
                ("Seen", "Share of the seam that is in sight.",
                 f"{100 * seam.in_sight / seam.length:.0f} %" if seam.length else "–"),
            ):  # fmt: skip
                layout, value = figure_row(name, tip)
                value.setText(shown)
                self._list.addLayout(layout)
            self._list.addWidget(line())
        self._list.addWidget(
            label("On the bed, the seam is grey where it hides and madder where it is in sight.", "faint", wrap=True)
        )
