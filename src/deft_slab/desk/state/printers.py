"""Printers and the beds that were handed to them: sends, watches and reports. Nothing here waits for the network."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

from PySide6.QtCore import QObject, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QImage

from ...core.errors import DeftError
from ...core.locale.translate import tr
from ...core.printing.link import PrinterTrouble
from ...core.printing.outbox import Device, Outbox, Sent
from ...logbook import home
from ..messages.hand_off import MakeBed
from .desk import Desk

_EVERY = 1000
"""ms between looks while something is on its way or printing, or the printers are shown."""
SHOWN = QSize(240, 150)
"""Pixels that the picture of a layer may take."""


class Printing(QObject):
    """The printers, and the beds on their way to them.

    Attributes
    ----------
    changed : signal
        Printers or their jobs have changed.
    pictures : dict of str to bytes
        The picture of the layer that is being printed, by job.
    """

    changed = Signal()
    _looked = Signal(bool)
    _answered = Signal(object, object)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        self._outbox: Outbox | None = None
        self._pools: dict[str, ThreadPoolExecutor] = {}
        self._rounds: dict[str, Future[bool]] = {}
        self._shown = False
        self.pictures: dict[str, QImage] = {}
        self._drawn: dict[str, int] = {}
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY)
        self._timer.timeout.connect(self.look)
        self._looked.connect(self._on_looked)
        self._answered.connect(self._on_answered)

    # what there is

    @property
    def outbox(self) -> Outbox:
        """The outbox, opened when it is first needed."""
        if self._outbox is None:
            self._outbox = Outbox(home() / "outbox")
            if self._outbox.problem:
                self._desk.told.emit(self._outbox.problem)
        return self._outbox

    @property
    def devices(self) -> tuple[Device, ...]:
        """All printers."""
        return self.outbox.devices

    def jobs_of(self, device: str) -> list[Sent]:
        """The beds that were handed to a printer, latest first."""
        return [job for job in reversed(self.outbox.jobs) if job.device == device]

    # looking after them

    def begin(self) -> None:
        """Continue what was on its way when the program was last closed."""
        if (home() / "outbox" / "outbox.json").exists() and self.outbox.active:
            self._timer.start()

    def show(self, shown: bool) -> None:
        """Set whether the user is looking at printers; then all of them are asked for their status."""
        self._shown = shown
        if shown and self.devices:
            self.look()
            self._timer.start()

    def look(self) -> None:
        """Start a round with each printer in the background, unless one is running."""
        if not self.devices or not (self._shown or self.outbox.active):
            self._timer.stop()
            return
        for device in self.devices:
            under_way = self._rounds.get(device.name)
            if under_way is None or under_way.done():
                self._rounds[device.name] = self._beside(device.name).submit(self._visit, self.outbox, device)
                self._rounds[device.name].add_done_callback(self._tell)

    def _beside(self, device: str) -> ThreadPoolExecutor:
        """The background thread for a printer, so that none waits for another."""
        if device not in self._pools:
            self._pools[device] = ThreadPoolExecutor(1, thread_name_prefix="deft-printing")
        return self._pools[device]

    def _later(self, device: str, does: Callable[[], object], then: Callable[[], None] | None = None) -> None:
        """Do something with a printer in the background, and then something here, unless it failed, which is
        reported.
        """

        def tell(done: Future[object]) -> None:
            with contextlib.suppress(RuntimeError):  # the window may be gone
                self._answered.emit(None if done.cancelled() else done.exception(), then)

        self._beside(device).submit(does).add_done_callback(tell)

    def _on_answered(self, error: BaseException | None, then: Callable[[], None] | None) -> None:
        if isinstance(error, DeftError):
            self._desk.failed.emit(error)
        elif error is not None:
            raise error
        elif then is not None:
            then()
        self.changed.emit()
        self.look()
        self._timer.start()

    def _visit(self, outbox: Outbox, device: Device) -> bool:
        """Visit a printer, in its thread."""
        return self._draw(outbox, device) | outbox.visit(device)

    def _tell(self, done: Future[bool]) -> None:
        with contextlib.suppress(RuntimeError):  # the window may be gone
            self._looked.emit(done.exception() is None and done.result())

    def _draw(self, outbox: Outbox, device: Device) -> bool:
        """Fetch the pictures of layers that are being printed, if the user is looking at them."""
        new = False
        for job in outbox.jobs if self._shown and device.url else ():
            status = job.status
            if job.device != device.name or status is None or status.state not in ("printing", "paused"):
                continue
            layer = min(status.layer, status.layers - 1)
            if self._drawn.get(job.id) == layer:
                continue
            with contextlib.suppress(PrinterTrouble):
                image = QImage.fromData(outbox.link(device).picture(job.id, layer))
                self.pictures[job.id] = image.convertToFormat(QImage.Format.Format_Grayscale8).scaled(
                    SHOWN, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
                )
                self._drawn[job.id] = layer
                new = True
        return new

    def _on_looked(self, new: bool) -> None:
        if new:
            self.changed.emit()

    def close(self) -> None:
        """End what runs in the background. What is on its way is stored on disk."""
        self._timer.stop()
        self._shown = False
        if self._outbox is not None:
            self._outbox.drop_links()
        pools, self._pools = self._pools, {}
        for pool in pools.values():
            pool.shutdown(wait=True, cancel_futures=True)

    # what a person does

    def _try(self, does: Callable[[], object]) -> bool:
        """Do something and report what goes wrong."""
        try:
            does()
        except DeftError as error:
            self._desk.failed.emit(error)
            return False
        finally:
            self.changed.emit()
        return True

    def add(self, device: Device) -> bool:
        """Add a printer, or change the one with the same name; returns whether that worked."""
        done = self._try(lambda: self.outbox.add(device))
        self.show(self._shown)
        return done

    def remove(self, name: str) -> None:
        """Takes a printer off the list."""
        self._try(lambda: self.outbox.remove(name))

    def send(self, bed: int, device: Device) -> None:
        """Hand a bed to a printer.

        Parameters
        ----------
        bed : int
            The number of the bed, from 0 on.
        """
        desk, outbox = self._desk, self.outbox
        title = tr("{title}, bed {bed}", title=desk.project.title, bed=bed + 1)
        about = outbox.about(device.name)
        printer = desk.evaluated.printer_of(bed) if desk.evaluated is not None else desk.printer
        layers = printer.kind == "resin" and (about is None or about.kind == "resin")
        path = home() / "outbox" / f"making-{bed + 1}{'.zip' if layers else '.3mf'}"

        def put(made: Path) -> None:
            try:
                outbox.put(made, title, device.name)
            finally:
                made.unlink(missing_ok=True)

        def put_by_name(made: Path) -> None:
            self._later(
                device.name,
                lambda: put(made),
                lambda: desk.told.emit(tr("“{title}” is being sent to “{name}”.", title=title, name=device.name)),
            )

        desk.jobs.submit(
            "handoff:send",
            MakeBed(desk.plan, desk.printer, desk.project.title, bed, path, layers, desk.settings.with_posts),
            done=put_by_name, failed=desk.failed.emit, label=tr("Writing bed {bed}", bed=bed + 1),
        )

    def order(self, job: str, what: str) -> None:
        """Control a job: "pause", "resume" or "cancel"."""
        found = next((one for one in self.outbox.jobs if one.id == job), None)
        if found is not None:
            self._later(found.device, lambda: self.outbox.order(job, what))

    def send_again(self, job: str) -> None:
        """Send a bed again that its printer has forgotten."""
        self._try(lambda: self.outbox.send_again(job))
        self.look()
        self._timer.start()

    def forget(self, job: str) -> None:
        """Remove a finished job from the list."""
        self.pictures.pop(job, None)
        self._try(lambda: self.outbox.forget(job))

    def load(self, device: Device, grams: float) -> None:
        """Report that material was put into a printer."""
        self._later(device.name, lambda: self.outbox.link(device).load(grams))

    def try_again(self, device: str) -> None:
        """Ask a printer that could not be reached, without waiting."""
        self.outbox.try_again(device)
        self.look()
        self._timer.start()
