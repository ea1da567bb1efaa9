"""Printers in the Hand off step: what they are doing, and beds that are being sent to them."""

from __future__ import annotations

import sys
from functools import partial

from pydantic_core import from_json
from PySide6.QtCore import QProcess, Qt, QTimer
from PySide6.QtGui import QHideEvent, QPixmap, QShowEvent
from PySide6.QtWidgets import QLabel, QMenu, QProgressBar, QPushButton, QToolButton, QVBoxLayout, QWidget

from ....core.errors import SaveFailed
from ....core.exporting.naming import slug
from ....core.exporting.safe_writing import make_folder, write_whole
from ....core.locale import text
from ....core.locale.translate import tr
from ....core.printing.outbox import Device, Sent
from ....logbook import home
from ...desk_state import DeskState
from ...dialogs.device import DeviceDialog
from ...refresh.binding import follow
from ...widgets.basics import ListColumn, button, emptied, label, line, row

_SPEEDS = (1.0, 60.0, 600.0)
"""How fast the clocks of stand-ins may go."""
_LATER = 100
"""ms after which the list is made anew, while a button of it is held."""
_KILO = 1000.0
_MOST_JOBS = 4
"""Of a printer that are shown, the latest."""


class PrintersSection(QWidget):
    """The list of printers, and what can be done with them."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._printing = state, state.printing
        state.closing.connect(self.close_children)
        self._children: list[QProcess] = []
        self.list = ListColumn()
        self.list.setSpacing(4)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(self.list)
        self.add = button(tr("Add a printer …"), tr("Adds a printer that listens on this machine or watches a "
                                                    "folder."),
                          self._add,
                          role="small")
        self.start = QToolButton()
        self.start.setText(tr("Start a stand-in"))
        self.start.setToolTip(tr("Starts a simulated printer, so that you can try everything up to printing. It "
                                 "ends with the window. If it is started again, it continues what it was printing."))
        self.start.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self)
        for speed in _SPEEDS:
            words = tr("Like this printer, ") + (
                tr("in real time") if speed == 1 else tr("{speed:g} times as fast", speed=speed)
            )
            menu.addAction(words, partial(self.start_one, speed))
        self.start.setMenu(menu)
        column.addLayout(row(self.add, self.start, 1))
        self.sends: dict[tuple[str, int], QWidget] = {}
        self.orders: dict[tuple[str, str], QWidget] = {}
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_LATER)
        self._later.timeout.connect(self.refresh)
        follow(self, self.refresh, self._printing.changed, state.bedding.changed)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._printing.show(True)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._printing.show(False)

    def refresh(self) -> None:
        if any(one.isDown() for one in self.findChildren(QPushButton)):
            self._later.start()  # a button that is made anew while it is pressed would lose its click
            return
        emptied(self.list)
        self.sends, self.orders = {}, {}
        devices = self._printing.devices
        if not devices:
            words = tr("No printers yet. Beds can be sent to a printer that listens on this machine or watches a "
                       "folder.")
            self.list.addWidget(label(words, "faint", wrap=True))
        for device in devices:
            self._show(device)
            self.list.addWidget(line())

    def _show(self, device: Device) -> None:
        outbox = self._printing.outbox
        about, trouble = outbox.about(device.name), outbox.trouble(device.name)
        remove = button("×", tr("Removes “{name}” from the list.", name=device.name), partial(self._printing.remove,
                device.name),
                        role="small")
        self.list.addLayout(row(label(device.name, "title"), 1, remove))
        if trouble:
            self.list.addWidget(label(trouble, "look", wrap=True))
            again = button(tr("Ask again"), tr("Asks the printer now."), partial(self._printing.try_again,
                                                                                    device.name),
                           role="small")
            self.list.addLayout(row(again, 1))
        elif about is not None:
            fast = tr(" · {speed:g} times as fast", speed=about.speed) if about.speed != 1 else ""
            self.list.addWidget(label(tr("{name} · {weight} of {material}{fast}", name=about.name,
                                         weight=text.grams(about.loaded), material=about.material, fast=fast), "faint",
                                      wrap=True))
        elif device.folder:
            self.list.addWidget(label(tr("watches {folder}", folder=device.folder), "faint", wrap=True))
        work = self._state.bedding.work
        beds = len(work.beds) if work is not None and self._state.up_to_date else 0
        parts: list[QWidget | int] = []
        for bed in range(min(beds, 6)):
            send = button(tr("Send bed {bed}", bed=bed + 1), tr("Writes the bed and sends it. It is printed as "
                                                                "soon as the printer is free."),
                          partial(self._printing.send, bed, device), role="small")
            self.sends[device.name, bed] = send
            parts.append(send)
        if about is not None and about.loaded < _KILO / 2:
            load = button(tr("Record 1 kg loaded"), tr("Records that a kilogram of material was loaded."),
                          partial(self._printing.load, device, _KILO), role="small")
            self.orders[device.name, "load"] = load
            parts.append(load)
        for start in range(0, len(parts), 3):
            self.list.addLayout(row(*parts[start : start + 3], 1, spacing=4))
        for job in self._printing.jobs_of(device.name)[:_MOST_JOBS]:
            self._show_job(job)

    def _show_job(self, job: Sent) -> None:
        status = job.status
        words = _said(job)
        bad = bool(job.problem or (status is not None and status.problem)) or job.state in ("refused", "forgotten")
        self.list.addWidget(label(job.name))
        self.list.addWidget(label(words, "look" if bad else "good" if job.over else "faint", wrap=True))
        if status is not None and not job.over:
            bar = QProgressBar()
            bar.setRange(0, max(status.layers, 1))
            bar.setValue(status.layer)
            bar.setTextVisible(False)
            bar.setFixedHeight(6)
            bar.setAccessibleName(
                tr("{name}: layer {layer} of {layers}", name=job.name, layer=status.layer, layers=status.layers)
            )
            self.list.addWidget(bar)
            picture = self._printing.pictures.get(job.id)
            if picture is not None:
                shown = QLabel()
                shown.setPixmap(QPixmap.fromImage(picture))
                shown.setToolTip(tr("The layer that is being printed, seen from above."))
                shown.setAlignment(Qt.AlignmentFlag.AlignHCenter)
                self.list.addWidget(shown)
        orders = []
        if status is not None and status.state == "printing":
            orders.append(("pause", tr("Pause"), tr("Stops after this layer. The job can be resumed.")))
        if status is not None and status.resumable:
            orders.append(("resume", tr("Continue"), tr("Resumes the job.")))
        if not job.over:
            orders.append(("cancel", tr("Cancel"), tr("Cancels the job.")))
        made = [button(word, does, partial(self._printing.order, job.id, what), role="small")
                for what, word, does in orders]
        for (what, _, _), one in zip(orders, made, strict=True):
            self.orders[job.id, what] = one
        if job.state == "forgotten":
            again = button(tr("Send again"), tr("Sends the job again. Use this only if you know that it was not "
                                                "printed."),
                           partial(self._printing.send_again, job.id), role="small")
            self.orders[job.id, "again"] = again
            made.append(again)
        if job.over:
            gone = button(tr("Remove from the list"), tr("Removes the job from this list. What is printed stays "
                                                      "printed."),
                          partial(self._printing.forget, job.id), role="small")
            self.orders[job.id, "forget"] = gone
            made.append(gone)
        self.list.addLayout(row(*made, 1, spacing=4))

    def _add(self) -> None:
        DeviceDialog(self._printing.add, self.window()).exec()

    def start_one(self, speed: float) -> None:
        """Start a stand-in of the desk's printer, and add it when it reports its address."""
        printer = self._state.printer
        keeps = home() / "stand-ins" / slug(printer.name)
        try:
            make_folder(keeps)
            write_whole(keeps / "profile.json", printer.model_dump_json().encode())
        except SaveFailed as error:
            self._state.failed.emit(error)
            return
        child = QProcess(self)
        child.readyReadStandardOutput.connect(partial(self._heard, child, tr("{name}, stand-in", name=printer.name)))
        child.errorOccurred.connect(lambda _: self._state.told.emit(tr("The stand-in could not be started.")))
        child.finished.connect(partial(self._ended, child))
        program = ["-m", "deft_slab.cli", "printer", "--profile", str(keeps / "profile.json"), "--keep", str(keeps),
                   "--speed", f"{speed:g}", "--json"]
        self._children.append(child)
        child.start(sys.executable, program)
        self._state.told.emit(tr("A stand-in printer is being started …"))

    def _heard(self, child: QProcess, name: str) -> None:
        """Read the line in which a stand-in reports its address."""
        if not child.canReadLine():
            return
        try:
            said = from_json(bytes(child.readLine().data()))
            device = Device(name=name[:120], url=said["url"], token=said["token"])
        except (ValueError, KeyError, TypeError):
            return
        if self._printing.add(device):
            self._state.told.emit(tr("“{name}” listens at {url}.", name=device.name, url=device.url))

    def _ended(self, child: QProcess) -> None:
        said = bytes(child.readAllStandardError().data()).decode(errors="replace").strip()
        if child in self._children:
            self._children.remove(child)
            if said:
                self._state.told.emit(said.removeprefix("deft-slab: "))

    def close_children(self) -> None:
        """End the stand-ins that were started here. What they print remains on the disk."""
        children, self._children = self._children, []
        for child in children:
            child.blockSignals(True)
            child.terminate()
        for child in children:
            if not child.waitForFinished(3000):
                child.kill()
                child.waitForFinished(3000)


_STATES = {
    "waiting": tr("waiting"), "printing": tr("printing"), "paused": tr("paused"), "done": tr("printed"),
    "failed": tr("failed"), "cancelled": tr("cancelled"),
}
"""How a print stands."""


def _said(job: Sent) -> str:
    """The state of a print job, in words."""
    status = job.status
    if job.problem:
        return job.problem
    if status is None:
        return tr("on its way …") if job.state == "to send" else tr("accepted, not started yet")
    layers = tr("layer {layer} of {layers}", layer=status.layer, layers=status.layers)
    if status.problem:
        return f"{status.problem} ({_STATES.get(status.state, status.state)}, {layers})"
    match status.state:
        case "printing":
            return tr("{layers} · {time} left", layers=layers, time=text.hours(status.seconds_left))
        case "waiting":
            return tr(
                "waiting · {time} · {weight}", time=text.hours(status.seconds_left), weight=text.grams(status.grams)
            )
        case "done":
            return tr("printed, {layers} layers, {weight}", layers=status.layers, weight=text.grams(status.grams))
    return f"{_STATES.get(status.state, status.state)}, {layers}"
