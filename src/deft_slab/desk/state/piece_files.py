"""Writes the pieces: as files of their own, or all in one."""

from __future__ import annotations

from pathlib import Path

from ...core.exporting.written_file import Written
from ...core.locale.translate import tr, tr_many
from ..messages.requests import WritePieces, WriteTogether
from .desk import Desk


class Writing:
    """Writes the pieces."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk

    def pieces(self, folder: Path, *, replace: bool = False) -> None:
        """Write each piece, or each different one, as an STL. Asks before it replaces files."""
        desk = self._desk

        def tell_written(written: list[Written]) -> None:
            names = ", ".join(item.path.name for item in written[:4]) + (", …" if len(written) > 4 else "")
            said = tr_many("Wrote {n} STL file to {folder}: {names}", "Wrote {n} STL files to {folder}: {names}",
                           len(written), folder=folder, names=names)
            pieces = sum(item.pieces for item in written)
            desk.told.emit(
                tr("{said}\nThey are for {pieces} pieces. The file names say how often to print "
                   "each.", said=said, pieces=pieces)
                if pieces > len(written)
                else said
            )

        desk.jobs.submit(
            "handoff:stl", WritePieces(desk.plan, desk.printer, folder, desk.settings.equal_once, replace,
                                         desk.settings.with_posts),
            done=tell_written, failed=desk.asking_to_replace(lambda: self.pieces(folder, replace=True)),
            label=tr("Writing the pieces"),
        )

    def together(self, path: Path, *, replace: bool = False) -> None:
        """Write all pieces into one 3MF. Asks before it replaces a file, unless that was asked already."""
        desk = self._desk

        def tell_written(written: Written) -> None:
            pieces = tr_many("{n} piece", "{n} pieces", written.pieces)
            if written.beds > 1:
                pieces = tr("{pieces} on {beds} beds", pieces=pieces, beds=written.beds)
            desk.told.emit(tr("Wrote {pieces} to {file}.", pieces=pieces, file=path.name))

        desk.jobs.submit(
            "handoff:3mf",
            WriteTogether(desk.plan, desk.printer, desk.project.title, path, desk.settings.equal_once, replace,
                          desk.settings.with_posts),
            done=tell_written,
            failed=desk.asking_to_replace(lambda: self.together(path, replace=True)), label=tr("Writing {name}",
                    name=path.name),
        )
