"""Says so when a command has to compile its calculations, which is done once and takes up to a minute."""

from __future__ import annotations

from typing import Any

from numba.core import event

from ..core.locale.translate import tr
from .showing import ProgressLine


class _Compiling(event.Listener):  # type: ignore[misc]  # a class without types
    """Hears of everything that is compiled. ``shows`` is the line of the command that has not said so yet."""

    shows: ProgressLine | None = None

    def on_start(self, _event: Any) -> None:
        if self.shows is not None:
            self.shows.say(tr("deft-slab: compiling calculations for this machine. This takes up to a minute, once."))
        self.shows = None

    def on_end(self, _event: Any) -> None:
        """Nothing is said when it ends, because the command goes on."""


_compiling = _Compiling()
event.register("numba:compile", _compiling)


def say_when_compiling(shows: ProgressLine) -> None:
    """From now on, print a line when the first calculation is compiled; nothing if all were compiled before."""
    _compiling.shows = shows
