"""Python looks for garbage in whatever thread happens to ask for memory. Parts of a window that are found in a thread
beside it are ended there: at best Qt complains, at worst that thread has the interpreter's lock and waits for a lock of
Qt's, which the window has and waits for the interpreter's. So garbage is collected in the window's thread alone, and
when it has nothing else to do.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QAbstractEventDispatcher, QObject, Slot


class Garbage(QObject):
    """Collects it from now on, whenever the loop is about to wait; to be made in the window's thread."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        QAbstractEventDispatcher.instance().aboutToBlock.connect(self._collect)

    @Slot()
    def _collect(self) -> None:
        """As much as Python would have, by its own thresholds."""
        for generation in (2, 1, 0):
            if gc.get_count()[generation] > gc.get_threshold()[generation]:
                gc.collect(generation)
                return
