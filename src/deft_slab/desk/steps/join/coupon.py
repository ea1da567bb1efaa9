"""The page on the coupon: a small test print that finds the clearance of the printer, and what fitted best on it."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QCheckBox, QLineEdit

from ....core.joins import DowelJoin
from ....core.locale import text
from ....core.locale.translate import tr
from ...actions.verbs import Verbs
from ...desk_state import DeskState
from ...refresh.binding import follow
from ...widgets.basics import Panel, button, label, row
from ...widgets.gap import GapDrawing
from ...widgets.number import NumberField

_field = partial(NumberField.named, width=82)


class CouponPanel(Panel):
    def __init__(self, state: DeskState, verbs: Verbs) -> None:
        super().__init__()
        self._state, self._joining, self._verbs = state, state.joining, verbs
        self.add(
            label(
                tr(
                    "A bar with a hole for each clearance, and a key to try in all of them. It is the only way to "
                    "find out which clearance your printer needs."
                ),
                "faint",
                wrap=True,
            )
        )
        self.head(tr("Print"))
        self._of = label("", "", wrap=True)
        self.add(self._of)
        self.first = _field(
            "mm", tr("First clearance"), tr("The clearance of the tightest hole, per "
                                            "side."), low=0.01, high=5, step=0.05, decimals=2
        )
        self.step = _field(
            "mm", tr("Step"), tr("The difference in clearance from one hole to the next, per "
                                 "side."), low=0.01, high=1, step=0.01, decimals=2
        )
        self.count = _field("", tr("Holes"), tr("The number of holes."), low=1, high=12, step=1, decimals=0)
        self.first.set_value(max(round(state.printer.clearance - 0.1, 2), 0.05))
        self.step.set_value(0.05)
        self.count.set_value(5)
        for field in (self.first, self.step, self.count):
            self.add(row(label(field.accessibleName()), 1, field))
        self.write = button(tr("Write the coupon …"), tr("Writes the coupon as 3MF or STL, in "
                                                         "mm."), self._write, role="main")
        self.add(row(self.write, 1))
        self.along = QCheckBox(tr("Print one with the pieces"))
        self.along.setToolTip(
            tr("Puts one coupon on a bed with the pieces, however many copies of the prop there are.")
        )
        self.along.clicked.connect(self._print_along)
        self.add(self.along)
        self.head(tr("After printing"))
        self.add(label(tr("Into which hole does the key go by hand, without rattling?"), "faint", wrap=True))
        self.best = _field(
            "mm",
            tr("Fitted best"),
            tr("The number beside the hole that fitted best."),
            low=0.0,
            high=5,
            step=0.05,
            decimals=2,
        )
        self.material = QLineEdit()
        self.material.setAccessibleName(tr("Material"))
        self.material.setPlaceholderText(tr("material"))
        self.material.setToolTip(tr("What the coupon was printed in. It is stored with the clearance."))
        self.add(row(label(tr("Fitted best")), self.best, self.material))
        self.keep = button(
            tr("Keep for this printer"),
            tr("Uses this clearance for the printer: in this project, in new ones, and in your own profile."),
            self._keep,
        )
        self.add(row(self.keep, 1))
        self._known = label("", "good", wrap=True)
        self.add(self._known)
        self.gap = GapDrawing()
        self.add(row(self.gap, 1))
        self.column.addStretch(1)
        follow(
            self,
            self.refresh,
            self._joining.changed,
            state.fitting.changed,
            state.project_changed,
            state.settings_changed,
        )

    @property
    def steps(self) -> tuple[float, ...]:
        """The clearance of each hole, in mm per side."""
        return tuple(round(self.first.value + self.step.value * n, 3) for n in range(round(self.count.value)))

    def _write(self) -> None:
        self._verbs.ask_coupon_file(self.steps)

    def _print_along(self, on: bool) -> None:
        self._state.fitting.print_coupon(self.steps if on else ())

    def _keep(self) -> None:
        self._state.fitting.fitted_best(self.best.value, self.material.text())

    def refresh(self) -> None:
        join, printer = self._joining.join, self._state.printer
        of = tr("For a key that suits this contact.")
        if join is not None and join.holes(0.0):
            what = join.sentence()
            dowel = isinstance(join, DowelJoin)
            of = tr("For holes for {join}.", join=what) if dowel else tr("For the selected {join}.", join=what)
        self._of.setText(of)
        self.write.setEnabled(bool(self._joining.contacts))
        along = self._state.is_open and self._state.plan.coupon is not None
        self.along.setChecked(along)
        self.along.setEnabled(along or bool(self._joining.contacts))
        self._known.setText(
            f"{printer.name}: "
            + (printer.fitted or tr("{clearance} per side, not tried yet", clearance=text.given(printer.clearance)))
            + "."
        )
        self.gap.show_gap(printer.clearance)
        if not self.best.hasFocus() and self.best.value == 0.0:
            self.best.set_value(printer.clearance)
