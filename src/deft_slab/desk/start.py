"""Starts the window."""

from __future__ import annotations

import argparse
import gc
import locale
import os
import signal
import sys
from functools import partial
from pathlib import Path

from PySide6.QtCore import QLibraryInfo, QTimer, QTranslator
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

from .. import __version__, logbook, opened_with
from ..core.locale.preferences import language
from ..core.locale.translate import tr
from ..demo import PROJECT
from .desk_state import DeskState
from .faults import Faults
from .look.logo import ICON
from .look.theme import dress, wants_dark
from .messages.jobs import Jobs
from .refresh.garbage import Garbage
from .storage.settings import load_settings
from .window.window import Window
from .worker.process import run_behind


def _arguments(given: list[str]) -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="deft-slab", description=tr("Tilt and cut props so that they print clean."))
    opened_with.add_to(parser)
    return parser.parse_args(given)


def settled(state: DeskState) -> bool:
    """Whether every row of the ledger has its figures, and nothing but maps and ways is being computed."""
    project = state.history.project
    return (
        project is not None and state.up_to_date and not state.jobs.busy_beside("map", "ways", "places")
        and all(state.entry(plan) is not None for _, _, plan in state.compared)
    )


def _shoot(window: Window, application: QApplication, path: Path) -> None:
    """Save a picture of the window once it shows figures, then quit."""
    timer = QTimer(window)

    def look() -> None:
        if (settled(window.state) and not window.state.jobs.busy and window.drawn) or window.notice.isVisible():
            timer.stop()
            done = window.grab().save(str(path), "PNG")
            print(tr("saved {path}", path=path) if done else tr("could not save {path}", path=path), file=sys.stderr)
            window.close()
            application.exit(0 if done else 1)

    timer.timeout.connect(look)
    timer.start(200)


def _collect_garbage(window: Window) -> None:
    """Start collecting garbage. What the start of the program has loaded is excluded, because it stays, and scanning
    it would stall the window again and again.
    """
    gc.freeze()
    Garbage(window)


def run(given: list[str]) -> int:
    """Runs the window until it is closed; returns the exit code."""
    arguments = _arguments(given)
    logbook.begin()
    settings = load_settings()
    if settings.type_size != 100:
        os.environ.setdefault("QT_SCALE_FACTOR", f"{settings.type_size / 100:g}")
    application = QApplication(sys.argv[:1])
    # Qt takes the locale of the system for all of the process; libraries read numbers with a point
    locale.setlocale(locale.LC_NUMERIC, "C")
    translator = QTranslator(application)
    if translator.load(f"qtbase_{language()}", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
        application.installTranslator(translator)
    application.setApplicationName("Deft Slab")
    application.setApplicationVersion(__version__)
    application.setDesktopFileName("deft-slab")
    application.setWindowIcon(QIcon(str(ICON)))
    dress(application, dark=wants_dark(settings.look, application))
    window = Window(DeskState(Jobs(run_behind)))
    Faults(window.state.failed.emit, window).install()
    window.ready.connect(partial(_collect_garbage, window))
    window.show()
    signal.signal(signal.SIGINT, lambda *_: window.close())
    path = PROJECT if arguments.demo else arguments.file
    if path is not None:
        window.state.opening.open(path)
    if arguments.shot is not None:
        _shoot(window, application, arguments.shot)
    return application.exec()
