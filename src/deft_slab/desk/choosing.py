"""Choices: the plans that are kept in the ledger to compare."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..core.plan import Choice, Plan

if TYPE_CHECKING:
    from .state import DeskState


class Choosing:
    """A part of the desk state."""

    def __init__(self, state: DeskState) -> None:
        self._state = state

    def keep(self) -> None:
        if self._state.project is not None:
            self.keep_plan(self._state.plan, f"Choice {len(self._state.project.choices) + 1}")

    def keep_plan(self, plan: Plan, name: str) -> None:
        """Keeps a plan in the ledger."""
        project = self._state.project
        choice = Choice(id=project.fresh_choice_id(), name=name, plan=plan)
        pinned = project.pinned or choice.id
        self._state.do("keep a choice", project.changed(choices=(*project.choices, choice), pinned=pinned))

    def rename(self, choice_id: str, name: str) -> None:
        if name.strip():
            self._change("rename a choice", choice_id, name=name.strip()[:120])

    def _change(self, did: str, choice_id: str, **update: object) -> None:
        project = self._state.project
        changed = [choice.model_copy(update=update) if choice.id == choice_id else choice for choice in project.choices]
        self._state.do(did, project.changed(choices=tuple(changed)))

    def pin(self, choice_id: str | None) -> None:
        self._state.do("pin a choice", self._state.project.changed(pinned=choice_id))

    def remove(self, choice_id: str) -> None:
        project = self._state.project
        left = tuple(choice for choice in project.choices if choice.id != choice_id)
        pinned = None if project.pinned == choice_id else project.pinned
        self._state.do("remove a choice", project.changed(choices=left, pinned=pinned))

    def bring_back(self, choice_id: str) -> None:
        choice = next(choice for choice in self._state.project.choices if choice.id == choice_id)
        self._state.do_plan(f"bring back “{choice.name}”", choice.plan)
