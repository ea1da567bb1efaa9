"""Writing the pieces: files of their own, or all in one."""

from __future__ import annotations

from pathlib import Path

from ...core.handoff.written import Written
from ..requests import WritePieces, WriteTogether
from .desk import Desk


class Writing:
    """A part of the desk state."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk

    def pieces(self, folder: Path, *, replace: bool = False) -> None:
        """Writes each piece, or each of those that differ, as an STL; asks before it replaces any."""
        desk = self._desk

        def done(written: list[Written]) -> None:
            names = ", ".join(item.path.name for item in written[:4]) + (", …" if len(written) > 4 else "")
            said = f"Wrote {len(written)} STL file{'s' if len(written) > 1 else ''} to {folder}: {names}"
            pieces = sum(item.pieces for item in written)
            desk.told.emit(f"{said}\nfor {pieces} pieces: the names say how often." if pieces > len(written) else said)

        desk.jobs.submit(
            "handoff:stl", WritePieces(desk.plan, desk.printer, folder, desk.settings.equal_once, replace,
                                         desk.settings.with_posts),
            done=done, failed=desk.asking_to_replace(lambda: self.pieces(folder, replace=True)),
            label="Writing the pieces",
        )  # fmt: skip

    def together(self, path: Path, *, replace: bool = False) -> None:
        """Writes all pieces into one 3MF; asks before it replaces one, unless that was asked already."""
        desk = self._desk

        def done(written: Written) -> None:
            beds = f" on {written.beds} beds" if written.beds > 1 else ""
            desk.told.emit(f"Wrote {written.pieces} piece{'s' if written.pieces > 1 else ''}{beds} to {path.name}.")

        desk.jobs.submit(
            "handoff:3mf",
            WriteTogether(desk.plan, desk.printer, desk.project.title, path, desk.settings.equal_once, replace,
                          desk.settings.with_posts),
            done=done,
            failed=desk.asking_to_replace(lambda: self.together(path, replace=True)), label=f"Writing {path.name}",
        )  # fmt: skip
