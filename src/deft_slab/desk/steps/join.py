"""Join: where pieces meet, how much there is to glue, and how much of the seam is seen."""

from __future__ import annotations

from ..whole import DeskState
from ..widgets import text
from ..widgets.parts import emptied, figure_row, label, line
from .listing import ListPanel


class JoinPanel(ListPanel):
    def __init__(self, state: DeskState) -> None:
        super().__init__(state, "Joins, one for each cut")

    def refresh(self) -> None:
        emptied(self.entries)
        evaluated = self.state.evaluated
        if evaluated is None or not evaluated.outcome.seams:
            self.entries.addWidget(label("Nothing to join yet: the model is whole. Cut it first.", "faint", wrap=True))
            return
        for cut_id, seam in evaluated.outcome.seams.items():
            self.entries.addWidget(label(evaluated.outcome.plan.cut(cut_id).name, "title"))
            for name, tip, shown in (
                ("Area to glue", "Flat cut faces, counted once.", text.area(seam.cut_area)),
                ("Seam", "Length of the join on the surface.", text.mm(seam.length)),
                ("Seam in sight", "Weighted by how much of it is seen from all sides.", text.mm(seam.in_sight)),
                ("Seen", "Share of the seam that is in sight.",
                 f"{100 * seam.in_sight / seam.length:.0f} %" if seam.length else "–"),
            ):  # fmt: skip
                layout, value = figure_row(name, tip)
                value.setText(shown)
                self.entries.addLayout(layout)
            self.entries.addWidget(line())
        self.entries.addWidget(
            label("On the bed, the seam is grey where it hides and madder where it is in sight.", "faint", wrap=True)
        )
