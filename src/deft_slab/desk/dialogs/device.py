"""Adds a printer: where it listens, or which folder it watches."""

from __future__ import annotations

from collections.abc import Callable

from pydantic import ValidationError
from PySide6.QtWidgets import QDialog, QFileDialog, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from ...core.document.base import first_problem
from ...core.locale.translate import tr
from ...core.printing.outbox import Device
from ..widgets.basics import button, label, row, say


class DeviceDialog(QDialog):
    """Adds a printer. ``add`` takes what was filled in, and says whether that worked."""

    def __init__(self, add: Callable[[Device], bool], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._take = add
        self.setWindowTitle(tr("Add a printer"))
        self.resize(520, 240)
        self.name, self.url, self.token, self.folder = (QLineEdit() for _ in range(4))
        self.url.setPlaceholderText("http://127.0.0.1:8123")
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        browse = button(tr("Choose …"), tr("Chooses the folder."), self._browse, role="small")
        for line, (words, field, tip) in enumerate((
            (tr("Name"), self.name, tr("The name of the printer in this program.")),
            (tr("Address"), self.url, tr("The address on this machine where the printer listens.")),
            (tr("Access token"), self.token, tr("The access token of the printer, which it shows when it starts.")),
            (tr("or folder"), self.folder, tr("The folder that the printer watches, if it does not listen on an "
                                              "address.")),
        )):
            field.setToolTip(tip)
            field.setAccessibleName(words)
            grid.addWidget(label(words), line, 0)
            grid.addWidget(field, line, 1)
        grid.addWidget(browse, 3, 2)
        self.said = label("", "faint", wrap=True)
        self.use = button(tr("Add it"), tr("Adds the printer to the list and asks for its "
                                           "status."), self._done, role="main")
        self.use.setDefault(True)
        close = button(tr("Cancel"), tr("Closes this without adding a printer."), self.reject)
        column = QVBoxLayout(self)
        column.addLayout(grid)
        column.addWidget(self.said)
        column.addStretch(1)
        column.addLayout(row(1, self.use, close))

    def _browse(self) -> None:
        name = QFileDialog.getExistingDirectory(self, tr("Folder that the printer watches"), self.folder.text())
        if name:
            self.folder.setText(name)

    def _done(self) -> None:
        try:
            device = Device(
                name=self.name.text().strip(), url=self.url.text().strip(), token=self.token.text().strip(),
                folder=self.folder.text().strip(),
            )
        except ValidationError as error:
            said = first_problem(error) if self.name.text().strip() else tr("The printer needs a name.")
            say(self.said, said, "look")
            return
        if bool(device.url) == bool(device.folder):
            say(self.said, tr("The printer needs either an address or a folder, not both."), "look")
        elif self._take(device):
            self.accept()
        else:
            say(self.said, tr("This printer cannot be added. The notice above the bed says why."), "look")
