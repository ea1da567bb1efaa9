"""Writing the pieces: files of their own, or all in one."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from ..core.handoff.written import Written
from .requests import WritePieces, WriteTogether

if TYPE_CHECKING:
    from .state import DeskState


class Writing:
    """A part of the desk state."""

    def __init__(self, state: DeskState) -> None:
        self._state = state

    def pieces(self, folder: Path, *, replace: bool = False) -> None:
        """Writes each piece, or each of those that differ, as an STL; asks before it replaces any."""
        state = self._state

        def done(written: list[Written]) -> None:
            names = ", ".join(item.path.name for item in written[:4]) + (", …" if len(written) > 4 else "")
            said = f"Wrote {len(written)} STL file{'s' if len(written) > 1 else ''} to {folder}: {names}"
            pieces = sum(item.pieces for item in written)
            state.told.emit(f"{said}\nfor {pieces} pieces: the names say how often." if pieces > len(written) else said)

        state.jobs.submit(
            "handoff:stl", WritePieces(state.plan, state.printer, folder, state.settings.equal_once, replace),
            done=done, failed=state.asking_to_replace(lambda: self.pieces(folder, replace=True)),
            label="Writing the pieces",
        )  # fmt: skip

    def together(self, path: Path, *, replace: bool = False) -> None:
        """Writes all pieces into one 3MF; asks before it replaces one, unless that was asked already."""
        state = self._state

        def done(written: Written) -> None:
            beds = f" on {written.beds} beds" if written.beds > 1 else ""
            state.told.emit(f"Wrote {written.pieces} piece{'s' if written.pieces > 1 else ''}{beds} to {path.name}.")

        state.jobs.submit(
            "handoff:3mf",
            WriteTogether(state.plan, state.printer, state.project.title, path, state.settings.equal_once, replace),
            done=done,
            failed=state.asking_to_replace(lambda: self.together(path, replace=True)), label=f"Writing {path.name}",
        )  # fmt: skip
