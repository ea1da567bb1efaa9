"""Collects Python's garbage in the window's thread only.

Python collects garbage in whatever thread happens to allocate memory. Parts of a window that are collected in another
thread are destroyed there: at best Qt complains; at worst that thread holds the interpreter's lock and waits for a
lock of Qt's, which the window holds while it waits for the interpreter's. So garbage is collected in the window's
thread alone, when it has nothing else to do.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QAbstractEventDispatcher, QObject, Slot


class Garbage(QObject):
    """From now on collects garbage whenever the event loop is about to wait. Must be created in the window's thread."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        QAbstractEventDispatcher.instance().aboutToBlock.connect(self._collect)

    @Slot()
    def _collect(self) -> None:
        """Collect as much as Python would have, by its own thresholds."""
        for generation in (2, 1, 0):
            if gc.get_count()[generation] > gc.get_threshold()[generation]:
                gc.collect(generation)
                return
