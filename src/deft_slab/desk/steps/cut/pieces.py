"""The page on the pieces: what the plan costs, the proof that nothing is lost, equal pieces, and where the seams
run.
"""

from __future__ import annotations

from functools import partial

from ....core.arrays import Floats
from ....core.locale import text
from ....core.locale.translate import term, tr, tr_in, tr_many
from ....core.results.outcome import Outcome, Place
from ...desk_state import DeskState
from ...refresh.binding import follow
from ...widgets.basics import ClickRow, Panel, emptied, label, row, say
from ...widgets.number import NumberField

_MOST_STRETCHES = 10


class PiecesPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.head(tr("What this plan costs"))
        self._rows = self.add_figures(
            (term("Pieces"), tr("The number of printable parts.")),
            (term("Support volume"), tr("The support of all pieces, each in its seat.")),
            (term("Before cutting"), tr("For comparison, the support of the uncut model as it stands.")),
            (term("Support left"), tr("Support volume as a share of what the uncut model needs.")),
            (term("Overhang area"), tr("The support of all pieces, each in its seat.")),
            (term("Seam"), tr("The length of all seams on the surface.")),
            (term("Seam in sight"), tr("The length of the seams, weighted by how much of them the audience sees.")),
            (term("Across show faces"), tr("The length of the seams that cross show faces.")),
            (term("Cut area"), tr("The area to glue. Each contact is counted once.")),
        )
        self._about = label("", "faint", wrap=True)
        self.add(self._about)
        self.leaning = NumberField("%", low=0, high=100, step=5, decimals=0)
        self.leaning.setFixedWidth(86)
        self.leaning.setAccessibleName(tr("A piece may lean if it saves at least"))
        self.leaning.setToolTip(
            tr(
                "How much support a piece must save, as a share of what its best flat seat needs, before it leans "
                "instead. 0 means the least support, 100 means flat wherever possible."
            )
        )
        self.leaning.committed.connect(lambda value: state.cutting.lean_from(value / 100))
        self.add(row(label(tr("A piece may lean if it saves at least")), 1, self.leaning))
        self.head(tr("Proof"))
        self._proof = self.add_list()
        self.head(tr("Where the seams run, most visible first"))
        self._stretches = self.add_list()
        self.column.addStretch(1)
        follow(
            self, self.refresh,
            state.outcome_changed, state.project_changed, state.selection_changed, state.live_changed,
            state.entries_changed, state.alike.changed,
        )

    def refresh(self) -> None:
        state = self._state
        self.setEnabled(state.is_open)
        shown = state.live if state.draft is not None else state.evaluated
        if shown is None:
            return
        self.leaning.set_value(100 * state.plan.leaning)
        self._show_figures(shown.outcome)
        if state.draft is None:
            self._show_proof(shown.outcome)
            self._show_stretches(shown.outcome)

    def _show_figures(self, outcome: Outcome) -> None:
        state = self._state
        totals, about = outcome.totals, "≈ " if outcome.approximate else ""
        self._rows["Pieces"].setText(str(totals.pieces))
        self._rows["Support volume"].setText(about + text.volume(totals.support_volume_mm3))
        self._rows["Overhang area"].setText(about + text.area(totals.overhang_area_mm2))
        self._rows["Seam"].setText(about + text.mm(totals.seam_length_mm))
        self._rows["Seam in sight"].setText("…" if about else text.mm(totals.seam_in_sight_mm))
        self._rows["Across show faces"].setText(about + text.mm(totals.seam_on_show_mm))
        self._rows["Cut area"].setText(about + text.area(totals.cut_area_mm2))
        whole = state.entry(state.plan.changed(recipe=(), pieces=(), joins=()))
        before = whole.totals.support_volume_mm3 if whole else 0.0
        self._rows["Before cutting"].setText(text.volume(before) if whole else "–")
        self._rows["Support left"].setText(
            about + text.percent(totals.support_volume_mm3 / before, 1) if before > 0 else "–"
        )
        self._about.setText(
            tr("≈ while you drag: from a draft mesh of few triangles; exact when you let go.") if about else ""
        )
        self._about.setVisible(bool(about))

    def _show_proof(self, outcome: Outcome) -> None:
        """Show whether every piece is closed and nothing is lost, whether pieces come apart, and what would be
        printed twice.
        """
        emptied(self._proof)

        def tell(good: bool, words: str) -> None:
            self._proof.addWidget(
                label(("✓ " if good else "! ") + words, "good" if good else "look", wrap=True)
            )

        pieces = outcome.pieces
        if not outcome.cuts:
            self._proof.addWidget(label(tr("No cut is on, so there is nothing to prove."), "faint", wrap=True))
            return
        closed = sum(piece.figures.closed for piece in pieces)
        tell(closed == len(pieces), tr("{closed} of {count} pieces closed", closed=closed, count=len(pieces)))
        if outcome.lost_share is not None and outcome.volume_before_mm3 is not None:
            parts = [tr("pieces {volume}", volume=text.volume(sum(piece.solid.volume for piece in pieces)))]
            parts += [tr("kerf {volume}", volume=text.volume(outcome.kerf_mm3))] if outcome.kerf_mm3 > 0 else []
            parts += (
                [tr("set aside {volume}", volume=text.volume(outcome.set_aside_mm3))]
                if outcome.set_aside_mm3 > 0
                else []
            )
            before = text.volume(outcome.volume_before_mm3)
            tell(
                outcome.lost_share < 1e-6,
                tr(
                    "{list} = {before} before the cuts; difference {off}",
                    list=" + ".join(parts),
                    before=before,
                    off=text.small_percent(outcome.lost_share),
                ),
            )
        plan = outcome.plan
        for cut_id, report in outcome.cuts.items():
            name = plan.cut(cut_id).name
            if not report.parts:
                tell(False, tr_many("“{name}” cuts nothing off: still {n} piece here",
                                    "“{name}” cuts nothing off: still {n} pieces here", report.after,
                                    name=name))
                if report.bridges:
                    self._fly_row(tr("A bridge of material is left outside the loop"), "look", report.middle_of_bridge)
            elif report.catches:
                tell(False, tr("“{name}”: what it cuts off cannot be pulled away", name=name))
            elif report.lift is not None:
                tell(
                    True,
                    tr("“{name}”: what it cuts off comes away along "
                       "{along}", name=name, along=_along(plan.tilt.rotation @ report.lift)),
                )
            for place in report.thin:
                self._fly_row(place.note(name).says, "look", place)
        self._show_alike(outcome)

    def _fly_row(self, words: str, tone: str, place: Place) -> None:
        """Add a line of the proof. A click looks at the place it is about."""
        line = ClickRow("seat")
        line.setAccessibleName(words)
        line.setToolTip(tr("Click to look at it."))
        layout = row(label(f"! {words}", tone, wrap=True))
        layout.setContentsMargins(6, 2, 6, 2)
        line.setLayout(layout)
        line.clicked.connect(partial(self._state.seam_flown_to.emit, place))
        self._proof.addWidget(line)

    def _show_alike(self, outcome: Outcome) -> None:
        alike = self._state.alike.found
        if len(alike) != len(outcome.pieces):
            return
        for first in sorted({one for one, _ in alike}):
            same = [n for n, (one, mirror) in enumerate(alike) if one == first and not mirror]
            mirrored = [n for n, (one, mirror) in enumerate(alike) if one == first and mirror]
            name = outcome.pieces[first].name
            if len(same) > 1:
                said = tr(
                    "“{name}” is the same as {count} others: print it {count2} times",
                    name=name,
                    count=len(same) - 1,
                    count2=len(same),
                )
                self._proof.addWidget(label(said, "good", wrap=True))
            if mirrored:
                names = ", ".join(text.quoted(outcome.pieces[n].name) for n in mirrored)
                self._proof.addWidget(
                    label(tr("{names}: mirror image of “{name}”", names=names, name=name), "good", wrap=True)
                )

    def _show_stretches(self, outcome: Outcome) -> None:
        """Show the stretches of all seams, the most visible first. A click flies to one."""
        emptied(self._stretches)
        found = sorted(
            ((stretch, outcome.plan.cut(cut_id).name) for cut_id, seam in outcome.seams.items()
             for stretch in seam.stretches),
            key=lambda one: -one[0].in_sight,
        )
        for stretch, name in found[:_MOST_STRETCHES]:
            line = ClickRow("seat")
            line.setAccessibleName(tr("Seam of {name}, {length} in sight", name=name, length=text.mm(stretch.in_sight)))
            line.setToolTip(tr("Click to look at this part of the seam."))
            share = stretch.in_sight / max(stretch.length, 1e-9)
            words = label(
                tr("{length} of {length2} in sight", length=text.mm(stretch.in_sight), length2=text.mm(stretch.length)),
                "",
            )
            seen = label("", "faint")
            say(seen, tr("{share:.0f} % in sight", share=100 * share), "look" if share > 0.66 else "faint")
            layout = row(words, 1, seen)
            layout.setContentsMargins(6, 2, 6, 2)
            line.setLayout(layout)
            line.clicked.connect(partial(self._state.seam_flown_to.emit, stretch))
            self._stretches.addWidget(line)
        if not found:
            self._stretches.addWidget(label(tr("No seam."), "faint"))


def _along(direction: Floats) -> str:
    """A direction of the bed frame, in words."""
    words = (
        (tr("right"), tr_in("a side", "left")), (tr("back"), tr("front")), (tr("up"), tr("down")),
    )
    parts = [words[k][0 if direction[k] > 0 else 1] for k in range(3) if abs(direction[k]) > 0.35]
    return tr(" and ").join(parts)
