"""The findings, along the height rail."""

from __future__ import annotations

import math

import numpy as np

from ....core.inspection.findings import Inspection, Island
from ....core.locale import text
from ....core.locale.translate import tr, tr_in
from ...desk_state import DeskState
from ...look import palette
from ...scene.ink import found_words
from ...widgets.height_rail import HeightRail, RailMark


def show_on_rail(rail: HeightRail, state: DeskState) -> None:
    """Show the layers of the selected piece, or of the whole bed, with the findings."""
    checking, piece = state.checking, state.piece
    assert piece is not None
    top = checking.top
    free = top if checking.keeps == "below" else 0.0
    at = checking.z if math.isfinite(checking.z) else free
    known = checking.found
    if not known:
        rail.show_checked(piece.layers, piece.layers, (), piece.lift, top, at, free)
        return
    looked_at = known if checking.whole_bed else known[min(state.selected_piece, len(known) - 1) :][:1]
    marks = [mark for found in looked_at for mark in _marks(found, state)]
    if len(looked_at) == 1:
        (found,) = looked_at
        rail.show_checked(found.areas, found.peel, marks, found.base, top, at, free)
        return
    rail.show_checked(*_together(looked_at), marks, 0.0, top, at, free)


def _together(pieces: tuple[Inspection, ...]) -> tuple[np.ndarray, np.ndarray]:
    """The area and the peel estimate of each layer in mm², of all pieces on one bed. All pieces start at the bed or
    at their lift.
    """
    first = [round(one.base / one.thickness) for one in pieces]
    count = max(start + one.layers for start, one in zip(first, pieces, strict=True))
    areas, peel = np.zeros(count), np.zeros(count)
    for start, one in zip(first, pieces, strict=True):
        areas[start : start + one.layers] += one.areas
        peel[start : start + one.layers] += one.peel
    return areas, peel


def _why_not(island: Island) -> str:
    """Why an island does not count."""
    if island.held:
        return tr("held by a post") if island.held == "a post" else tr("held by support")
    return tr_in("on purpose", "left") if island.left else tr("small")


def _marks(found: Inspection, state: DeskState) -> list[RailMark]:
    """The marks of one piece: what counts in colour; what is held, small or left on purpose in grey."""
    pieces = state.pieces
    printer = pieces[found.number].on(state.printer) if found.number < len(pieces) else state.printer
    marks = []
    for island in found.islands:
        counts = not (island.held or island.small or island.left)
        why = "" if counts else f" ({_why_not(island)})"
        marks.append(RailMark("island", island.z, palette.MADDER if counts else palette.HIDDEN_SEAM,
                              tr("{what} at {height}{why}", what=found_words(island), height=text.length(island.z,
                                      2), why=why), (found.number, island)))
    for pocket in found.pockets:
        counts = pocket.counts(printer) and not pocket.left
        marks.append(RailMark("pocket", pocket.z, palette.MADDER if counts else palette.HIDDEN_SEAM,
                              tr("{what} at {height}", what=found_words(pocket), height=text.length(pocket.z, 2)),
                              (found.number, pocket)))
    for jump in found.jumps if printer.kind == "resin" else ():
        marks.append(RailMark("jump", jump.z, palette.HIDDEN_SEAM if jump.left else palette.AMBER,
                              tr("{what} at {height}", what=found_words(jump), height=text.length(jump.z, 2)),
                              (found.number, jump)))
    # what counts is drawn last, over the rest
    return sorted(marks, key=lambda mark: mark.colour != palette.HIDDEN_SEAM)
