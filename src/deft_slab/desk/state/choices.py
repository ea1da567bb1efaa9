"""Choices: the plans that are kept in the ledger for comparison."""

from __future__ import annotations

from ...core.locale.translate import tr
from ...core.plan.plan import Plan
from ...core.plan.project import Choice
from .desk import Desk


class Choosing:
    """The choices in the ledger."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk

    def keep(self) -> None:
        if self._desk.is_open:
            self.keep_plan(self._desk.plan, tr("Choice {count}", count=len(self._desk.project.choices) + 1))

    def show_whole(self, *, shown: bool) -> None:
        """Show the model as it came in the ledger, or hide it."""
        did = (
            tr("put the model as opened into the ledger")
            if shown
            else tr("remove the model as opened from the ledger")
        )
        self._desk.do(did, self._desk.project.changed(whole=shown))

    def keep_plan(self, plan: Plan, name: str) -> None:
        """Keep a plan in the ledger."""
        project = self._desk.project
        choice = Choice(id=project.fresh_choice_id(), name=name, plan=plan)
        pinned = project.pinned or (None if project.whole else choice.id)
        self._desk.do(tr("keep a choice"), project.changed(choices=(*project.choices, choice), pinned=pinned))

    def rename(self, choice_id: str, name: str) -> None:
        if name.strip():
            self._change(tr("rename a choice"), choice_id, name=name.strip()[:120])

    def _change(self, did: str, choice_id: str, **update: object) -> None:
        project = self._desk.project
        changed = [choice.model_copy(update=update) if choice.id == choice_id else choice for choice in project.choices]
        self._desk.do(did, project.changed(choices=tuple(changed)))

    def pin(self, choice_id: str | None) -> None:
        self._desk.do(tr("pin a choice"), self._desk.project.changed(pinned=choice_id))

    def remove(self, choice_id: str) -> None:
        project = self._desk.project
        left = tuple(choice for choice in project.choices if choice.id != choice_id)
        pinned = None if project.pinned == choice_id else project.pinned
        self._desk.do(tr("remove a choice"), project.changed(choices=left, pinned=pinned))

    def bring_back(self, key: str) -> None:
        """Put an entry of the ledger on the bed."""
        name, plan = next((name, plan) for one, name, plan in self._desk.compared if one == key)
        self._desk.do_plan(tr("bring back “{name}”", name=name), plan)
