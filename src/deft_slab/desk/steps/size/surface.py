"""The page on the surface: the bodies of the file, what repair found and did, and how to force it."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtWidgets import QComboBox

from ....core.locale import text
from ....core.locale.translate import term, tr
from ....core.mesh.solid import Defects
from ....core.plan.model import MendReport
from ....core.plan.plan import Mending, Role
from ...desk_state import DeskState
from ...refresh.binding import follow
from ...widgets.basics import Panel, button, emptied, label, plain, row
from ...widgets.number import NumberField

_TITLES = {
    "clean": tr("Merge and clean"), "orient": tr("Facets outward"), "specks": tr("Stray specks"), "close": tr("Holes"),
    "rewrap": tr("Rewrap"), "join": tr("Overlapping bodies"), "thin": tr("Simplify"),
}
_ROLES: dict[str, Role] = {
    tr("with the rest"): "with the rest", tr("separate"): "on its own", tr("left out"): "left out",
}
"""What may become of a body, by how it is called."""


class SurfacePanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self._body_head = label(tr("Bodies of the file"), "head")
        self.add(self._body_head)
        self._bodies = self.add_list()
        self.proposed = button(
            tr("As proposed"),
            tr("Bodies that touch no other become separate pieces. Stray specks, and bodies whose name says that "
               "they are supports, are left out."), state.sizing.take_proposed_roles, role="small",
        )
        self.add(row(self.proposed, 1))
        self.roles: list[QComboBox] = []
        self.head(tr("What mending did"))
        self._steps = self.add_list()
        self._rows = self.add_figures(
            (term("Triangles"), tr("Before and after mending.")),
            (term("Volume"), tr("The volume inside the surface before and after mending; none while the surface is "
                                "open.")),
            (
                term("Moved by up to"),
                tr(
                    "The largest distance between the original surface and the present one. Over a hole it is the "
                    "distance from the patch to the nearest original surface."
                ),
            ),
        )
        self.came = button(
            tr("Show as opened"), tr("Shows the surface as it was in the file, with its open edges."),
            self._toggle_came,
            checkable=True,
        )
        self.back = button(
            tr("Undo all mending"), tr("Restores the surface as it was in the file."), state.sizing.leave_unmended
        )
        self.add(row(self.came, self.back, 1))
        self.head(tr("Mending, from gentle to forceful"))
        self.gentle = button(
            tr("Mend it"),
            tr(
                "Merges and cleans the surface, turns facets outward and closes holes: small and flat ones with a "
                "flat patch, large ones with a smooth one. Bodies that overlap become one."
            ),
            partial(state.sizing.mend, tr("mend the surface"), clean=True, orient=True, close=True),
            role="main",
        )
        self.specks = button(
            tr("Leave out specks"),
            tr("Leaves out stray fragments smaller than crumbs (1 % of the volume, 20 mm)."),
            state.sizing.leave_specks_out,
        )
        self.add(row(self.gentle, self.specks, 1))
        self._speck_words = label("", "faint", wrap=True)
        self.add(self._speck_words)
        self.fineness = NumberField("mm", low=0.001, high=1e4, step=0.1, decimals=2)
        self.fineness.setAccessibleName(tr("Fineness of rewrapping"))
        self.fineness.setToolTip(
            tr("The cell size of the new surface. Walls thinner than two cells may be lost.")
        )
        self.rewrap = button(
            tr("Rewrap at"),
            tr(
                "Builds a new surface around what the old one encloses. For tangled surfaces that nothing gentler "
                "closes."
            ),
            self._rewrap,
        )
        self.add(row(self.rewrap, self.fineness, 1))
        self.fewest = NumberField("", low=100, high=5e6, step=10_000, decimals=0)
        self.fewest.setAccessibleName(tr("Triangles to be left"))
        self.fewest.setToolTip(tr("About how many triangles should be left."))
        self.thin = button(
            tr("Simplify to"),
            tr("Uses fewer triangles where the surface is smooth. The report says how far the surface moved."),
            self._thin,
        )
        self.add(row(self.thin, self.fewest, label(tr("triangles"), "faint"), 1))
        self.column.addStretch(1)
        follow(self, self.refresh, state.outcome_changed, state.project_changed, state.view_changed)
        self._filled_for: object = None

    def _toggle_came(self) -> None:
        self._state.show(as_it_came=self.came.isChecked())

    def _longest(self) -> float:
        return float(self._state.model.solid.size.max() * np.abs(self._state.plan.factors).max())

    def _rewrap(self) -> None:
        fineness = self.fineness.value / float(np.abs(self._state.plan.factors).max())
        self._state.sizing.mend(tr("rewrap the surface"), clean=True, orient=True, rewrap=fineness)

    def _thin(self) -> None:
        self._state.sizing.mend(tr("simplify the surface"), thin_to=round(self.fewest.value))

    def _set_role(self, body: int, words: str) -> None:
        self._state.sizing.set_role(body, _ROLES[words])

    def refresh(self) -> None:
        state = self._state
        self.setEnabled(state.is_open)
        if not state.is_open:
            return
        mending = state.plan.mending
        self.came.setChecked(state.view.as_it_came)
        self.came.setEnabled(mending.does_something or bool(state.plan.roles))
        self.back.setEnabled(mending.does_something)
        gentle = Mending(clean=True, orient=True, close=True)
        self.gentle.setEnabled(any(not getattr(mending, step) for step in ("clean", "orient", "close")) and
                               mending != gentle)
        self.proposed.setVisible(bool(state.sizing.proposed_roles))
        report = state.sizing.report
        if (state.model, state.plan, report) == self._filled_for:
            return
        self._filled_for = (state.model, state.plan, report)
        self._fill_bodies()
        self.fineness.set_value(round(self._longest() / 200, 2))
        self.fewest.set_value(max(10_000.0, round(len(state.model.solid.triangles) / 2, -3)))
        if report is not None and state.evaluated is not None:
            self._fill_report(report, state.evaluated.outcome.defects)

    def _fill_bodies(self) -> None:
        state = self._state
        bodies = state.model.bodies
        emptied(self._bodies)
        self.roles = []
        self._body_head.setText(
            tr("{count} bodies in the file", count=len(bodies)) if len(bodies) > 1 else tr("One body in the file")
        )
        for number, body in enumerate(bodies):
            combo = QComboBox()
            combo.addItems(list(_ROLES))
            combo.setCurrentText(tr(state.plan.role(number)))
            combo.setAccessibleName(tr("What happens to {name}", name=body.name))
            combo.setToolTip(
                tr(
                    "With the rest: one piece with the others, merged where they overlap. Separate: a piece of its "
                    "own. Left out: not printed."
                )
            )
            combo.textActivated.connect(partial(self._set_role, number))
            self.roles.append(combo)
            name = label(body.name)
            name.setMaximumWidth(110)
            name.setToolTip(plain(body.name))
            self._bodies.addLayout(
                row(name, label(tr("{triangles:,} triangles", triangles=body.triangles), "faint"), 1, combo)
            )

    def _fill_report(self, report: MendReport, defects: Defects) -> None:
        emptied(self._steps)
        if not report.steps:
            closed = not defects.sentence()
            words = tr("Nothing needed mending: the surface is closed and faces "
                       "outward.") if closed else tr("Nothing yet.")
            self._steps.addWidget(label(words, "good" if closed else "look", wrap=True))
        for step in report.steps:
            self._add_step(_TITLES[step.kind], step.sentence(), step.changed, step.places)
        problem = defects.sentence()
        if problem:
            self._add_step(tr("Still open"), problem, True, defects.segments)
        if report.tangled > 0.01:
            self._steps.addWidget(
                label(tr("{tangled:.0f} % of the surface passes through the model itself. Rewrapping helps.",
                         tangled=100 * report.tangled),
                      "look", wrap=True)
            )
        counts = (report.triangles_before, report.triangles_after)
        self._rows["Triangles"].setText(_change(*(text.count(count) for count in counts)))
        volumes = [text.volume(v) if v is not None else tr("none") for v in (report.volume_before, report.volume_after)]
        self._rows["Volume"].setText(_change(*volumes))
        moved = text.near(report.moved_by) if report.moved_by > 0 else text.mm(0.0)
        over = tr("{moved}; {bridged} over holes", moved=moved, bridged=text.near(report.bridged))
        self._rows["Moved by up to"].setText(over if report.bridged > 0 else moved)
        self.specks.setEnabled(report.specks > 0)
        words = (
            tr(
                "{specks:,} stray specks, up to {size} across.",
                specks=report.specks,
                size=text.near(report.speck_size, 2),
            )
            if report.specks
            else ""
        )
        self._speck_words.setText(words)
        self._speck_words.setVisible(bool(words))

    def _add_step(self, title: str, said: str, changed: bool, places: np.ndarray) -> None:
        where = button(
            tr("Where"),
            tr("Marks on the bed: {said}", said=said),
            partial(self._state.show, mend_places=places),
            role="small",
        )
        where.setAccessibleName(tr("Where: {title}", title=title))
        where.setVisible(changed and len(places) > 0)
        self._steps.addLayout(row(label(title, "title"), 1, where))
        self._steps.addWidget(label(said, "look" if changed else "good", wrap=True))


def _change(before: str, after: str) -> str:
    return after if before == after else f"{before} → {after}"
