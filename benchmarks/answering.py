"""How long the window does not answer over a whole job, and what it does while nothing happens."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QEventLoop, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog
from report import say

from deft_slab.demo import MODELS
from deft_slab.desk.refresh.batching import all_caught_up
from deft_slab.desk.window.window import Window

_LEFT = Qt.MouseButton.LeftButton
_TICK = 2
"""ms between beats."""


class Heart:
    """Beats in the window's loop; what comes between two beats beside the waiting is what kept it from answering.

    worst : (ms, what was done then), longest first, a few
    """

    def __init__(self) -> None:
        self.doing = ""
        self.worst: list[tuple[float, str]] = []
        self._last = time.monotonic()
        self._timer = QTimer()
        self._timer.setInterval(_TICK)
        self._timer.timeout.connect(self._beat)
        self._timer.start()

    def _beat(self) -> None:
        now = time.monotonic()
        late = 1000 * (now - self._last) - _TICK
        self._last = now
        self.worst = sorted([*self.worst, (late, self.doing)], reverse=True)[:8]

    def stop(self) -> None:
        self._timer.stop()


def wait(until: Callable[[], bool], seconds: float = 60.0) -> None:
    loop, end = QEventLoop(), time.monotonic() + seconds
    timer = QTimer()
    timer.timeout.connect(lambda: loop.quit() if until() or time.monotonic() > end else None)
    timer.start(2)
    loop.exec()
    if not until():
        raise TimeoutError("the window did not get ready")


def rest(seconds: float) -> None:
    """As a person does. (Qt's own waiting for tests keeps Python's threads from running, and what they work out.)"""
    loop = QEventLoop()
    QTimer.singleShot(round(1000 * seconds), loop.quit)
    loop.exec()


def whole_job(window: Window, folder: Path) -> Heart:
    """A job from a file to written beds, as the window leads through it; then each page of each step is looked at."""
    state, card = window.state, window.frame.guide
    state.opening.may_leave = lambda: True
    QFileDialog.getExistingDirectory = lambda *_: str(folder)
    wait(lambda: window.bed.picture is not None and all(window.panels.values()))
    heart = Heart()
    state.opening.open(MODELS["hook"])
    window.verbs.lead()
    while True:
        wait(card.take.isVisible, 180.0)
        said, step = card.take.text(), window.verbs.guide.step
        heart.doing = f"{said} ({step})"
        if card.take.text() == "Done":
            break
        wait(all_caught_up)  # nobody clicks before it is in sight
        QTest.mouseClick(card.take, _LEFT)
        wait(lambda said=said, step=step: card.take.text() != said or window.verbs.guide.step != step)
    for step, panel in window.panels.items():
        heart.doing = f"going to {step}"
        state.go_to(step)
        wait(lambda: state.up_to_date and not state.jobs.busy_with("evaluate"))
        for name, tab in getattr(panel, "tabs", {}).items():
            wait(all_caught_up)
            heart.doing = f"{step}, {name}"
            QTest.mouseClick(tab, _LEFT)
            rest(0.3)
    heart.doing = "undo and redo"
    for _ in range(3):
        state.undo()
        wait(lambda: state.up_to_date)
    for _ in range(3):
        state.redo()
        wait(lambda: state.up_to_date)
    heart.stop()
    return heart


def idle_share(window: Window, seconds: float = 5.0) -> tuple[float, float]:
    """Shares of one processor that the window and its worker take while nothing happens."""
    state = window.state
    state.go_to("Size")
    wait(lambda: state.up_to_date and not state.jobs.busy)
    rest(1.5)

    def used() -> tuple[float, float]:
        own = os.times()
        fields = Path(f"/proc/{state.jobs.process_id}/stat").read_text().rsplit(")", 1)[1].split()
        return own.user + own.system, (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")

    before, start = used(), time.monotonic()
    rest(seconds)
    after, took = used(), time.monotonic() - start
    return (after[0] - before[0]) / took, (after[1] - before[1]) / took


def answering(window: Window) -> None:
    """Says how long the window does not answer, and what it does while idle."""
    with tempfile.TemporaryDirectory() as folder:
        heart = whole_job(window, Path(folder))
    most, doing = heart.worst[0]
    say("longest time that the window does not answer, whole job", f"{most:.0f} ms ({doing})", "within 100 ms",
        most <= 100)
    print("        (the next ones: " + "; ".join(f"{ms:.0f} ms, {what}" for ms, what in heart.worst[1:6]) + ")")
    own, worker = idle_share(window)
    say("processor while nothing happens", f"window {100 * own:.1f} %, worker {100 * worker:.1f} %", "under 1 % each",
        own < 0.01 and worker < 0.01)
