"""Writing the pieces: files of their own, or all in one."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .state import DeskState


class Writing:
    """A part of the desk state."""

    def __init__(self, state: DeskState) -> None:
        self._state = state

    def pieces(self, folder: Path) -> None:
        """Writes each piece, or each of those that differ, as an STL."""
        state = self._state

        def done(written: Any) -> None:
            names = ", ".join(item.path.name for item in written[:4]) + (", …" if len(written) > 4 else "")
            said = f"Wrote {len(written)} STL file{'s' if len(written) > 1 else ''} to {folder}: {names}"
            pieces = sum(item.pieces for item in written)
            state.told.emit(f"{said}\nfor {pieces} pieces: the names say how often." if pieces > len(written) else said)

        state.jobs.submit(
            "handoff:stl", "write_pieces", state.plan, state.printer, folder, state.settings.equal_once, done=done,
            failed=state.failed.emit, label="Writing the pieces",
        )  # fmt: skip

    def together(self, path: Path) -> None:
        """Writes all pieces into one 3MF."""
        state = self._state

        def done(written: Any) -> None:
            beds = f" on {written.beds} beds" if written.beds > 1 else ""
            state.told.emit(f"Wrote {written.pieces} piece{'s' if written.pieces > 1 else ''}{beds} to {path.name}.")

        state.jobs.submit(
            "handoff:3mf", "write_together", state.plan, state.printer, state.project.title, path,
            state.settings.equal_once, done=done, failed=state.failed.emit, label=f"Writing {path.name}",
        )  # fmt: skip
