"""Writes settings shortly after the last change, outside the UI thread."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

from PySide6.QtCore import QObject, QTimer

from ..storage.settings import Settings, keep_settings

_DELAY = 400
"""ms: a slider that is dragged changes them many times."""


class Remembering(QObject):
    """Writes settings. For the UI thread."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._settings: Settings | None = None
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="deft-settings")
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_DELAY)
        self._timer.timeout.connect(self._write)

    def note(self, settings: Settings) -> None:
        """The settings have changed."""
        self._settings = settings
        self._timer.start()

    def _write(self) -> None:
        self._timer.stop()
        if self._settings is not None:
            self._thread.submit(keep_settings, self._settings)
            self._settings = None

    def close(self) -> None:
        """Write what is not written yet, and wait for it."""
        self._write()
        self._thread.shutdown()
