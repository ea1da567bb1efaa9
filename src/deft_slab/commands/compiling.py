"""Says so when a command has to compile its calculations, which is done once and takes up to a minute."""

from __future__ import annotations

from typing import Any

from numba.core import event

from ..core.locale.translate import tr
from .showing import ProgressLine


class _SaysOnce(event.Listener):  # type: ignore[misc]  # a class without types
    def __init__(self, shows: ProgressLine) -> None:
        self._shows: ProgressLine | None = shows

    def on_start(self, _event: Any) -> None:
        if self._shows is not None:
            self._shows.say(tr("deft-slab: compiling calculations for this machine. This takes up to a minute, once."))
        self._shows = None

    def on_end(self, _event: Any) -> None:
        """Nothing: the command goes on."""


def say_when_compiling(shows: ProgressLine) -> None:
    """From now on, print a line when the first calculation is compiled; nothing if all were compiled before."""
    event.register("numba:compile", _SaysOnce(shows))
