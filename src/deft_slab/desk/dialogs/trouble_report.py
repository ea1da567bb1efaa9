"""A report of what went wrong, to be read before anybody else gets it. Nothing is sent: it is shown, copied or
saved.
"""

from __future__ import annotations

import json
import platform
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import qVersion
from PySide6.QtGui import QFontDatabase, QGuiApplication
from PySide6.QtWidgets import QCheckBox, QDialog, QFileDialog, QPlainTextEdit, QVBoxLayout, QWidget

from ... import about
from ...core.errors import DeftError
from ...core.exporting.safe_writing import write_whole
from ...core.locale.translate import tr
from ...core.plan.project import Project, project_text
from ...logbook import log_path
from ..desk_state import DeskState
from ..widgets.basics import button, label, row, say

_LINES = 300
"""Of the log, the last ones."""
_NAME = "the model"


@dataclass(frozen=True)
class Wishes:
    """What a report contains.

    Attributes
    ----------
    plan : bool
        Whether it contains the open plan, without any surface.
    names : bool
        Whether it contains the names of files, models and pieces.
    """

    plan: bool = True
    names: bool = False


def report_of(project: Project | None, printer: str, wishes: Wishes) -> str:
    """The report as text, in English, for the developers. The user's home folder is written as "~"."""
    screens = ", ".join(
        f"{one.size().width()} x {one.size().height()} at {one.devicePixelRatio():g}"
        for one in QGuiApplication.screens()
    )
    parts = [
        ("Versions", about.sentence()),
        ("Machine", f"{platform.system()} {platform.release()}, {platform.machine()}\nQt {qVersion()} on "
         f"{QGuiApplication.platformName()}; screens: {screens}"),
        ("Printer", printer if wishes.names else "left out"),
        ("Log, the last of it", _log()),
    ]
    if wishes.plan and project is not None:
        parts.append(("Plan, without the model", _plan(project, wishes.names)))
    text = "\n\n".join(f"== {title}\n{body}" for title, body in parts) + "\n"
    text = text.replace(str(Path.home()), "~")
    if project is not None and not wishes.names:
        for name in _names(project):
            text = text.replace(name, _NAME)
    return text


def _log() -> str:
    try:
        lines = log_path().read_text("utf-8", "replace").splitlines()
    except OSError:
        return "nothing was written down"
    return "\n".join(lines[-_LINES:]) or "nothing was written down"


def _plan(project: Project, names: bool) -> str:
    """The document of a project, which contains no surface. Marks are only counted, because a stroke has thousands
    of places.
    """
    data = json.loads(project_text(project))
    data["marks"] = f"{len(data.pop('marks', []))} marks"
    if not names:
        data["title"] = _NAME
    return json.dumps(data, indent=1, ensure_ascii=False)


def _names(project: Project) -> list[str]:
    """The names that could reveal a person or the model, longest first, so that none remains in part."""
    plans = (project.plan, *(choice.plan for choice in project.choices))
    found = {project.title, *(plan.model.name for plan in plans), *(choice.name for choice in project.choices)}
    found |= {body.name for plan in plans for body in plan.model.bodies}
    found |= {wish.name for plan in plans for wish in plan.pieces if wish.name}
    found |= {guest.name for plan in plans for guest in plan.guests}
    found |= {one.name for one in (project.printer, *(plan.second for plan in plans)) if one is not None}
    return sorted((name for name in found if len(name) > 2), key=len, reverse=True)


class ReportDialog(QDialog):
    def __init__(self, state: DeskState, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._state = state
        self.setWindowTitle(tr("Report"))
        self.resize(760, 560)
        self.plan = QCheckBox(tr("the plan, without the model"))
        self.plan.setToolTip(
            tr("Includes cuts, joins, seats and settings, but no surface, and of marks only their number.")
        )
        self.plan.setChecked(True)
        self.names = QCheckBox(tr("names of files, models, pieces and the printer"))
        self.names.setToolTip(tr("Includes these names. Otherwise “the model” is written in their place."))
        for one in (self.plan, self.names):
            one.toggled.connect(self._show)
        self.text = QPlainTextEdit()
        self.text.setAccessibleName(tr("Contents of the report"))
        self.text.setFont(QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont))
        self.said = label("", "good", wrap=True)
        self.copy = button(tr("Copy"), tr("Copies the whole report as it is shown."), self._copy)
        self.save = button(tr("Save …"), tr("Saves the report as a text file."), self._save, role="main")
        close = button(tr("Close"), tr("Closes the report. Nothing is stored."), self.reject)
        down = QVBoxLayout(self)
        words = tr("This helps to find out what went wrong. Delete anything that nobody should see. Nothing is "
                   "sent anywhere.")
        down.addWidget(label(words, wrap=True))
        down.addLayout(row(label(tr("Include"), "faint"), self.plan, self.names, 1))
        down.addWidget(self.text, 1)
        down.addWidget(self.said)
        down.addLayout(row(1, self.copy, self.save, close))
        self._show()

    def _show(self) -> None:
        project = self._state.project if self._state.is_open else None
        wishes = Wishes(self.plan.isChecked(), self.names.isChecked())
        self.text.setPlainText(report_of(project, self._state.printer.model_dump_json(), wishes))

    def _copy(self) -> None:
        QGuiApplication.clipboard().setText(self.text.toPlainText())
        say(self.said, tr("Copied."), "good")

    def _save(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, tr("Save the report"), "deft-slab-report.txt", tr("Text (*.txt)"))
        if not name:
            return
        try:
            write_whole(Path(name), self.text.toPlainText().encode())
        except DeftError as error:
            say(self.said, str(error), "look")
            return
        say(self.said, tr("Saved as {name}.", name=Path(name).name), "good")
