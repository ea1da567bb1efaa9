"""The list of contacts, and how the face of one lies in the seats of its pieces."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from ....core.joins.reports import ContactFound
from ....core.locale.translate import tr
from ....core.results.contact_pose import ContactPose
from ...desk_state import DeskState
from ...widgets.basics import ClickRow, label, row
from .fit import way_words


class ContactRow(ClickRow):
    """A contact in the list."""

    def __init__(self, pieces: str, area: str, said: str, role: str, *, chosen: bool) -> None:
        super().__init__("chosen" if chosen else "row")
        inner = row(label(pieces, "title"), label(area, "faint"), 1, label(said, role))
        inner.setContentsMargins(8, 3, 8, 3)
        self.setLayout(inner)
        self.setAccessibleName(tr("Contact {pieces}, {area}: {said}", pieces=pieces, area=area, said=said))
        self.setToolTip(tr("Opens this contact."))


class ShortList(QScrollArea):
    """A list that is at most a few rows high, and scrolls beyond that."""

    def __init__(self, column: QVBoxLayout) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inside = QWidget()
        column.setContentsMargins(0, 0, 0, 0)
        inside.setLayout(column)
        self.setWidget(inside)


_LIES = {"down": tr("lies on this face"), "up": tr("has this face up"), "sideways": tr("has this face upright"),
         "under": tr("has this face down, above the bed")}


def how_they_sit(state: DeskState, contact: ContactFound) -> str:
    """How the face of a contact lies in the seats of both pieces, and the way in."""
    first, second = (state.pieces[n] for n in contact.pieces)
    place, out = np.array(contact.place), -np.array(contact.way_in)
    kerf = state.plan.cut(contact.cut).kerf
    stances = (ContactPose.of(first, place, out), ContactPose.of(second, place + kerf * out, -out))
    sits = [f"{piece.number} {_LIES[one.lies]}" for piece, one in zip((first, second), stances, strict=True)]
    way = way_words(state.plan.tilt.rotation @ np.array(contact.way_in))
    return tr(
        "Piece {sits}, piece {sits2}. Piece {number} moves {way} onto piece {number2}.", sits=sits[0], sits2=sits[1],
        number=second.number, way=way, number2=first.number,
    )
