"""How what is shown follows the desk: one way for all of it.

``follow`` calls what shows something after some signals while it is on the screen, once for each action; what it missed
before is made up for when it comes into sight. ``quietly`` puts a value in without an echo.
"""

from __future__ import annotations

import weakref
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QEvent, QObject, QSignalBlocker
from PySide6.QtWidgets import QWidget

from .batching import when_over


class Following(QObject):
    """Ends with the widget that it is of."""

    def __init__(self, widget: QWidget, refresh: Callable[[], None], signals: tuple[Any, ...]) -> None:
        super().__init__(widget)
        self._refresh = weakref.WeakMethod(refresh)
        self._missed = True
        for signal in signals:
            signal.connect(self._heard)
        widget.installEventFilter(self)

    def _heard(self, *_: object) -> None:
        self._missed = True
        if self._in_sight:
            when_over(self._look)

    @property
    def waits(self) -> bool:
        """Whether something has changed since the widget was refreshed."""
        return self._missed

    @property
    def _in_sight(self) -> bool:
        widget = self.parent()
        return isinstance(widget, QWidget) and widget.isVisible()

    def _look(self) -> None:
        if self._in_sight:
            self.make_up()

    def make_up(self) -> None:
        """Refreshes the widget now if it missed something."""
        refresh = self._refresh()
        if refresh is not None and self._missed:
            self._missed = False
            refresh()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Show:
            self.make_up()
        return False


def follow(widget: QWidget, refresh: Callable[[], None], *signals: Any) -> Following:
    """Has a method of a widget called after some signals, once for each action, while the widget is shown, and when it
    comes into sight if it missed one.
    """
    return Following(widget, refresh, signals)


def quietly(widget: QObject) -> QSignalBlocker:
    """While this is entered, a change of the widget is not heard of."""
    return QSignalBlocker(widget)
