"""The history of the project: undo, redo, and what would be lost by closing it."""

from __future__ import annotations

from dataclasses import dataclass

from ...core.plan.project import Project

_LONGEST = 200


@dataclass(frozen=True)
class _Past:
    project: Project
    did: str


class History:
    """The project as it is, as it was, and as it was before steps were undone.

    Attributes
    ----------
    project : Project | None
        The present project; None before anything is opened.
    """

    def __init__(self) -> None:
        self._past: list[_Past] = []
        self._now = -1
        self._before_last: tuple[list[_Past], int] | None = None
        """As it was before the step that was done last; None where that was undone, or redone."""
        self._clean: Project | None = None
        """The project with nothing in it that would be lost: as it was saved, or as a model was opened."""
        self._never_saved = True

    @property
    def project(self) -> Project | None:
        return self._past[self._now].project if self._past else None

    def begin(self, first: Project, *, saved: bool) -> None:
        """Start a new history with a project.

        Parameters
        ----------
        saved : bool
            Whether the project comes from its own file.
        """
        self._past, self._now, self._before_last = [_Past(first, "")], 0, None
        self._clean, self._never_saved = None, not saved

    def nothing_to_lose(self) -> None:
        """The present project contains nothing that would be lost."""
        self._clean = self.project

    def do(self, did: str, project: Project) -> None:
        """Add a step. Steps that were undone before are dropped.

        Parameters
        ----------
        did : str
            What was done, for the texts of undo.
        """
        self._before_last = self._past, self._now
        self._past = [*self._past[: self._now + 1], _Past(project, did)][-_LONGEST:]
        self._now = len(self._past) - 1

    def saved(self, project: Project) -> None:
        """The project was saved in this state."""
        self._clean, self._never_saved = project, False

    @property
    def undo_text(self) -> str:
        """What undo would take back; empty if there is nothing."""
        return self._past[self._now].did if self._now > 0 else ""

    @property
    def redo_text(self) -> str:
        """What redo would do again; empty if there is nothing."""
        return self._past[self._now + 1].did if self._now + 1 < len(self._past) else ""

    def undo(self) -> bool:
        """Take a step back; returns whether there was one."""
        if self._now <= 0:
            return False
        self._now, self._before_last = self._now - 1, None
        return True

    def redo(self) -> bool:
        """Do a step again; returns whether there was one."""
        if self._now + 1 >= len(self._past):
            return False
        self._now, self._before_last = self._now + 1, None
        return True

    def take_back(self) -> bool:
        """Drop the last step as if it had never happened; returns whether there was one."""
        if self._before_last is None:
            return False
        (self._past, self._now), self._before_last = self._before_last, None
        return True

    @property
    def dirty(self) -> bool:
        """Whether something is not saved."""
        return self.project is not None and self.project != self._clean

    @property
    def at_stake(self) -> bool:
        """Whether closing would lose work: unsaved changes, or undone steps that were never saved."""
        return self.dirty or (self._never_saved and bool(self.redo_text))
