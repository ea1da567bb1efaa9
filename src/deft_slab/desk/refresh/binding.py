"""Binds widgets to the state of the desk.

``follow`` refreshes a widget after certain signals while it is visible, once per action; what it missed while hidden
is made up for when it becomes visible. ``quietly`` sets a value without an echo.
"""

from __future__ import annotations

import weakref
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QEvent, QObject, QSignalBlocker
from PySide6.QtWidgets import QWidget

from .batching import when_over


class Following(QObject):
    """A binding, which ends with its widget."""

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
        """Refresh the widget now if it missed something."""
        refresh = self._refresh()
        if refresh is not None and self._missed:
            self._missed = False
            refresh()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Show:
            self.make_up()
        return False


def follow(widget: QWidget, refresh: Callable[[], None], *signals: Any) -> Following:
    """Refresh a widget after certain signals: once per action while it is visible, and when it becomes visible if it
    missed one.
    """
    return Following(widget, refresh, signals)


def quietly(widget: QObject) -> QSignalBlocker:
    """While this is entered, changes of the widget emit no signals."""
    return QSignalBlocker(widget)
