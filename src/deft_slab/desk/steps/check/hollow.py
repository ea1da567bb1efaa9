"""The page on hollowing: wall, lattice, vents and plugs of the selected piece."""

from __future__ import annotations

import math
from functools import partial

from PySide6.QtWidgets import QCheckBox, QGridLayout

from ....core.joins.reports import VentReport
from ....core.locale import text
from ....core.locale.translate import term, tr
from ....core.plan.hollow import Hollow, Vent
from ...desk_state import DeskState
from ...refresh.binding import follow, quietly
from ...widgets.basics import Panel, SaidRow, button, emptied, label, row, say
from ...widgets.number import NumberField

_SPACING = 10.0
"""mm between the rods of a lattice, where none is stated (common practice)."""
_field = partial(NumberField.named, "mm", step=0.5)


def vent_row(number: int, vent: Vent, report: VentReport | None, *, chosen: bool) -> SaidRow:
    """A vent: where it is, and whether it reaches its void."""
    if report is None:
        said, role = tr("being made …"), "faint"
    elif report.problem:
        said, role = report.problem, "look"
    else:
        plug = tr(", plug with a gap of {gap}", gap=text.length(report.gap, 2)) if math.isfinite(report.gap) else ""
        said, role = (
            tr("opens a void through {length} of wall{plug}", length=text.length(report.length, 1), plug=plug),
            "good",
        )
    size = tr("{outer} to {inner} across", outer=text.given(2 * vent.outer), inner=text.given(2 * vent.inner))
    return SaidRow(
        tr("Vent {number} · {size}", number=number, size=size), said, role, tr("Shows the place."), chosen=chosen
    )


class HollowPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._hollowing = state, state.hollowing
        self._shown: object = None
        self._about = self.head(tr("Hollow"))
        self._said = label("", "faint", wrap=True)
        self.add(self._said)
        self._fill_wishes()
        self.make = button(tr("Hollow this piece"), tr("Removes everything deeper inside the piece than the "
                                                       "thickness of the wall."),
                           self._hollowing.make, role="main")
        self.solid = button(tr("Make it solid again"), tr("Removes the hollow and its vents from the plan."),
                            self._hollowing.undo_hollow, role="small")
        self.add(row(self.make, self.solid, 1))
        self.figures = self.add_figures(
            (term("Saved"), tr("How much less material this piece needs. Its plugs are counted.")),
            (term("Thinnest wall"), tr("The thinnest wall around the voids, measured on the finished piece.")),
            (term("Voids"), tr("The number of voids, and their volume.")),
        )
        self._vents_head = self.head(tr("Vents"))
        self._vents_said = label("", "faint", wrap=True)
        self.add(self._vents_said)
        self.propose = button(
            tr("Propose vents"),
            tr(
                "Proposes as many vents as it takes until no large cup is left in the present seat: on cut faces "
                "first, then where they are hidden, never on show faces."
            ),
            self._hollowing.propose,
            role="main",
        )
        self.place = button(tr("Add a vent …"), tr("Click the place on the surface where a vent should be."),
                            partial(self._hollowing.point, moves=False), role="small")
        self.add(row(self.propose, self.place, 1))
        self.list = self.add_list()
        self.list.setSpacing(2)
        self.rows: list[tuple[Vent, SaidRow]] = []
        self.plugs = QCheckBox(tr("a separate plug for each vent"))
        self.plugs.setToolTip(tr("Plugs lie on the bed as separate pieces. A ridge ensures that they go in only "
                                 "one way round."))
        self.plugs.clicked.connect(lambda on: self._hollowing.plug_all(plugged=on))
        self.add(self.plugs)
        self.column.addStretch(1)
        follow(self, self.refresh, self._hollowing.changed, state.outcome_changed, state.opened)

    def _fill_wishes(self) -> None:
        wish = self._hollowing.wish
        self.wall = _field(tr("Wall"), tr("The thickness between the surface and the void. 2 to 3 mm is usual."),
                           low=0.2,
                           high=100)
        self.wall.committed.connect(lambda value: wish(wall=value, fineness=None))
        self.below = _field(
            tr("Solid below"), tr("The piece stays solid up to this height over the bed."), low=0, high=1e4, step=1
        )
        self.below.committed.connect(lambda value: wish(solid_below=value))
        self.lattice = QCheckBox(tr("lattice of rods"))
        self.lattice.setToolTip(tr("Rods through the void support its walls. They lean, so that they print without "
                                   "support."))
        self.lattice.clicked.connect(lambda on: wish(spacing=max(_SPACING, 5 * self._now["radius"]) if on else None))
        self.spacing = _field(tr("Rod spacing"), tr("The distance from one rod to the next."), low=1, high=1e3, step=1)
        self.spacing.committed.connect(lambda value: wish(spacing=value))
        self.radius = _field(tr("Rod radius"), tr("The radius of each rod."), low=0.1, high=50, step=0.1)
        self.radius.committed.connect(lambda value: wish(radius=value))
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        for line, (words, part) in enumerate(((tr("wall"), self.wall), (tr("solid below"), self.below))):
            grid.addWidget(label(words, "faint"), line, 0)
            grid.addWidget(part, line, 2)
        grid.addWidget(self.lattice, 2, 0)
        grid.addWidget(label(tr("spacing"), "faint"), 2, 1)
        grid.addWidget(self.spacing, 2, 2)
        grid.addWidget(label(tr("radius"), "faint"), 3, 1)
        grid.addWidget(self.radius, 3, 2)
        grid.setColumnStretch(0, 1)
        self.add(grid)

    @property
    def _now(self) -> dict[str, float]:
        """The measures of the selected piece's hollow, or those that the next hollow gets."""
        hollow = self._hollowing.hollow
        if hollow is None:
            return self._hollowing.wishes
        return {name: getattr(hollow, name) for name in ("wall", "solid_below", "spacing", "radius")}

    def refresh(self) -> None:
        state, hollowing = self._state, self._hollowing
        piece, hollow, report = state.piece, hollowing.hollow, hollowing.report
        if piece is None:
            return
        several = len(state.pieces) > 1
        self._about.setText(tr("Hollow: {name}", name=piece.name) if several else tr("Hollow"))
        now = self._now
        self.wall.set_value(now["wall"])
        self.below.set_value(now["solid_below"])
        with quietly(self.lattice):
            self.lattice.setChecked(now["spacing"] is not None)
        self.spacing.set_value(now["spacing"] or _SPACING)
        self.radius.set_value(now["radius"])
        for part in (self.spacing, self.radius):
            part.setEnabled(now["spacing"] is not None)
        self.make.setVisible(hollow is None)
        self.make.setEnabled(not piece.extra and piece.figures.closed)
        self.solid.setVisible(hollow is not None)
        if hollow is None:
            say(
                self._said,
                tr("This piece is solid. Hollowing a thick piece saves resin and reduces the pull on the film."),
                "faint",
            )
        elif report is None:
            say(self._said, tr("Hollowing the piece …"), "faint")
        elif report.problem:
            say(self._said, report.problem, "look")
        else:
            say(self._said, tr("Drag the height rail to look inside."), "faint")
        self._show_figures()
        self._show_vents(hollow)

    def _show_figures(self) -> None:
        report, printer = self._hollowing.report, self._state.piece_printer
        made = report is not None and not report.problem
        for figure in self.figures.values():
            figure.setText("–")
        if report is None or not made:
            return
        saved = report.removed - report.added
        grams = saved / 1000 * printer.material_density
        self.figures["Saved"].setText(f"{text.volume(saved)} · {text.grams(grams)}")
        self.figures["Thinnest wall"].setText(text.length(report.least_wall, 2))
        self.figures["Voids"].setText(f"{len(report.voids)} · {text.volume(sum(report.voids))}")

    def _show_vents(self, hollow: Hollow | None) -> None:
        hollowing, report = self._hollowing, self._hollowing.report
        made = hollow is not None and report is not None and not report.problem
        for part in (self._vents_head, self._vents_said, self.propose, self.place, self.plugs):
            part.setVisible(made)
        vents = hollow.vents if hollow is not None else ()
        with quietly(self.plugs):
            self.plugs.setChecked(bool(vents) and all(vent.plug for vent in vents))
        self.plugs.setEnabled(bool(vents))
        if report is not None and made:
            closed = report.unvented
            words = (
                tr(
                    "{closed} of {count} voids have no vent, so uncured resin stays inside.",
                    closed=closed,
                    count=len(report.voids),
                )
                if closed
                else (tr("Every void has a vent. The page Checked lists the cups that are left."))
            )
            say(self._vents_said, words, "look" if closed else "good")
        shown = (vents, report, hollowing.vent)
        if shown == self._shown:
            return
        self._shown = shown
        emptied(self.list)
        self.rows = []
        for number, vent in enumerate(vents, 1):
            chosen = vent.id == hollowing.vent
            one = vent_row(number, vent, hollowing.report_of(vent), chosen=chosen)
            one.clicked.connect(partial(hollowing.select, vent))
            self.list.addWidget(one)
            self.rows.append((vent, one))
            if chosen:
                self._add_own(vent)

    def _add_own(self, vent: Vent) -> None:
        """Add the controls of the selected vent."""
        outer = _field(tr("Outer diameter"), tr("The diameter at the surface."), low=0.4, high=100)
        outer.set_value(2 * vent.outer)
        outer.committed.connect(lambda value: self._hollowing.size(vent, outer=value / 2))
        inner = _field(tr("Inner diameter"), tr("The diameter at the void. It is at most the outer "
                                                "diameter."), low=0.4, high=100)
        inner.set_value(2 * vent.inner)
        inner.committed.connect(lambda value: self._hollowing.size(vent, inner=value / 2))
        self.list.addLayout(row(label("across", "faint"), outer, label("inside", "faint"), inner, 1))
        move = button(tr("Move …"), tr("Click the place on the surface where it should "
                                       "be."), partial(self._hollowing.point,
                moves=True),
                      role="small")
        away = button(tr("Remove"), tr("Removes this vent."), partial(self._hollowing.drop, vent), role="small")
        self.list.addLayout(row(move, away, 1))
