"""The project: the plan on the bed and the choices kept beside it, and how they are written to text."""

from __future__ import annotations

import json
from typing import Any, Literal

from pydantic import ValidationError

from ..document.base import Document, Name, first_problem
from ..document.marks import Mark
from ..document.migrations import NewerVersion, Versions
from ..errors import SaveFailed, UnreadableFile
from ..locale.translate import tr
from ..printers.profile import Printer
from .plan import Guest, Plan

PROJECTS = Versions("project", 1)
MOST_PROJECT_BYTES = 256 * 2**20
"""Neither written nor read beyond this: what is saved opens again."""


class Choice(Document):
    """A plan that is kept in the ledger for comparison."""

    id: Name
    name: Name
    plan: Plan


class Project(Document):
    """What is saved: the plan on the bed, and the choices kept beside it."""

    version: Literal[1] = 1
    title: Name
    plan: Plan
    choices: tuple[Choice, ...] = ()
    pinned: Name | None = None
    whole: bool = True
    """Whether the model as it came stands in the ledger; others are compared with it while none is pinned."""
    printer: Printer | None = None
    """The printer that the project is judged by; None: the one that a new project starts with."""

    def changed(self, **update: object) -> Project:
        """A copy with other values."""
        return self.model_copy(update=update)

    @property
    def all_guests(self) -> tuple[Guest, ...]:
        """The guests of the plan and of all choices."""
        return tuple(guest for plan in (self.plan, *(choice.plan for choice in self.choices)) for guest in plan.guests)

    def fresh_choice_id(self) -> str:
        """An id that no choice has."""
        number = 1
        while any(choice.id == f"k{number}" for choice in self.choices):
            number += 1
        return f"k{number}"


def project_text(project: Project) -> bytes:
    """A project as JSON. Marks that several of its plans share are written once, and the plans refer to them by
    number, because one brush stroke can have thousands of places.

    Raises
    ------
    SaveFailed
        It is too large to be read again.
    """
    table: dict[Mark, int] = {}

    def numbered(plan: Plan) -> list[int]:
        return [table.setdefault(mark, len(table)) for mark in plan.marks]

    data = project.model_dump(mode="json", exclude={"plan": {"marks"}, "choices": {"__all__": {"plan": {"marks"}}}})
    data["plan"]["marks"] = numbered(project.plan)
    for choice, written in zip(project.choices, data["choices"], strict=True):
        written["plan"]["marks"] = numbered(choice.plan)
    rest = json.dumps(data, ensure_ascii=False, allow_nan=False, separators=(",", ":")).encode()
    # long lists of places are put into text by the library, which is twenty times quicker
    text = rest[:-1] + b',"marks":[' + b",".join(mark.model_dump_json().encode() for mark in table) + b"]}"
    if len(text) > MOST_PROJECT_BYTES:
        raise SaveFailed(
            tr(
                "“{title}” has a plan of {count:.0f} MB. At most {most_project_bytes} MB can be read back.",
                title=project.title,
                count=len(text) / 2**20,
                most_project_bytes=MOST_PROJECT_BYTES >> 20,
            ),
            kept=tr("Nothing was written."),
            remedy=tr("Remove some choices or marks."),
        )
    return text


def read_project(text: bytes) -> Project:
    """A project from its JSON.

    Raises
    ------
    UnreadableFile
        It is damaged, or was saved by a newer version.
    """
    kept = tr("Your open project is unchanged.")
    try:
        return Project.model_validate(_unpacked(PROJECTS.read(text)))
    except NewerVersion as error:
        raise UnreadableFile(
            tr(
                "This project was saved by a newer version (document version {found}; this one reads up to {known}).",
                found=error.found,
                known=error.known,
            ),
            kept=kept,
            remedy=tr("Open it with a newer Deft Slab."),
        ) from error
    except (ValueError, TypeError, KeyError, IndexError, AttributeError) as error:
        problem = first_problem(error) if isinstance(error, ValidationError) else f"{error}.".replace("..", ".")
        raise UnreadableFile(
            tr("The plan in this project is damaged: {problem}", problem=problem), kept=kept,
            remedy=tr("The model in it may be intact. Open the file with another 3MF reader to look."),
        ) from error


def _unpacked(data: dict[str, Any]) -> dict[str, Any]:
    """The data of a project with its shared marks put back into its plans."""
    table = [Mark.model_validate(mark) for mark in data.get("marks", ())]

    def placed(plan: dict[str, Any]) -> dict[str, Any]:
        marks = [table[mark] if type(mark) is int and mark >= 0 else mark for mark in plan.get("marks", ())]
        return {**plan, "marks": marks}

    choices = [{**choice, "plan": placed(choice["plan"])} for choice in data.get("choices", ())]
    rest = {name: value for name, value in data.items() if name != "marks"}
    return {**rest, "plan": placed(data["plan"]), "choices": choices}
