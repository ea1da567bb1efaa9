"""The printer and the material of each piece, and the second printer."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QMenu, QToolButton, QWidget

from ....core.exporting.equal_pieces import firsts_of
from ....core.locale import text
from ....core.locale.translate import tr, tr_in
from ....core.results.outcome import Piece
from ...desk_state import DeskState
from ...refresh.binding import follow
from ...storage import printers
from ...widgets.basics import ListColumn, button, emptied, label, line, row

_LATER = 100
"""ms after which the list is made anew, while something in it is open."""


class SecondPrinter(QWidget):
    """The printer that works beside the first one, and the pieces that it prints."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._bedding = state, state.bedding
        self.which = QToolButton()
        self.which.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.which.setToolTip(
            tr("A second printer that works at the same time. Joins keep the clearance of the first printer.")
        )
        self.which.setAccessibleName(tr("Second printer"))
        self.menu = QMenu(self)
        self.menu.aboutToShow.connect(self._list)
        self.which.setMenu(self.menu)
        self.share = button(
            tr("Share out"),
            tr("Assigns each piece to one of the two printers so that everything is done soonest. You can change "
               "each piece below."),
            self._bedding.share_out,
            role="small",
        )
        across = row(label(tr("Second printer"), "faint"), 1, self.share, self.which, spacing=4)
        across.setContentsMargins(0, 0, 0, 0)
        self.setLayout(across)
        follow(self, self.refresh, self._bedding.changed)

    def refresh(self) -> None:
        second = self._state.plan.second if self._state.is_open else None
        self.which.setText(tr_in("a printer", "none") if second is None else text.shortened(second.name, 24))
        self.which.setEnabled(self._state.is_open)
        self.share.setVisible(second is not None)

    def _list(self) -> None:
        """Fill the menu with the printer profiles."""
        self.menu.clear()
        second = self._state.plan.second if self._state.is_open else None
        none = self.menu.addAction(tr("None"), partial(self._bedding.use_second, None))
        none.setCheckable(True)
        none.setChecked(second is None)
        for profile in printers.profiles():
            named = profile.printer.label.replace("&", "&&")
            one = self.menu.addAction(named, partial(self._bedding.use_second, profile.printer))
            one.setCheckable(True)
            one.setChecked(profile.printer == second)


class PiecesToPrint(QWidget):
    """All pieces, with the printer and the material of each where there is a choice."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._bedding = state, state.bedding
        self.list = ListColumn(self)
        self.list.setContentsMargins(0, 0, 0, 0)
        self.list.setSpacing(4)
        self.of: dict[int, QComboBox] = {}
        self.on: dict[int, QComboBox] = {}
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_LATER)
        self._later.timeout.connect(self.refresh)
        follow(self, self.refresh, state.alike.changed, self._bedding.changed)

    def refresh(self) -> None:
        if any(one.view().isVisible() for one in (*self.of.values(), *self.on.values())):
            self._later.start()  # what is open would be closed under the pointer
            return
        emptied(self.list)
        self.of, self.on = {}, {}
        evaluated = self._state.evaluated
        if evaluated is None:
            self.list.addWidget(
                label(tr("Open a model; its pieces are listed here, ready to write."), "faint", wrap=True)
            )
            return
        pieces = evaluated.outcome.pieces
        beds = max(laid.bed for laid in evaluated.laid) + 1
        alike = self._state.alike.found
        firsts = firsts_of(alike) if len(alike) == len(pieces) else list(range(len(pieces)))
        for number, piece in enumerate(pieces):
            mine = [laid for laid in evaluated.laid if laid.piece == number]
            lies = sorted({laid.bed + 1 for laid in mine})
            where = [tr("equal to {number}", number=firsts[number] + 1)] if firsts[number] != number else []
            where += [tr("{count} times", count=len(mine))] if len(mine) > 1 else []
            where += [tr("bed {beds}", beds=_ranged(lies))] if beds > 1 else []
            self.list.addLayout(row(label(f"{piece.number}  {piece.name}"), 1, label(" · ".join(where), "faint")))
            fits = "" if piece.fit.fits else tr(" · does not fit")
            size = f"{text.box(piece.figures.size_mm)}{fits}"
            self.list.addWidget(label(size, "faint" if piece.fit.fits else "look"))
            self._add_choices(number, piece)
            self.list.addWidget(line())

    def _add_choices(self, number: int, piece: Piece) -> None:
        """Add the printer and the material of a piece, where there is more than one."""
        plan, printer = self._state.plan, self._state.printer
        own = plan.second if piece.second and plan.second is not None else printer
        across = QHBoxLayout()
        across.setSpacing(4)
        if plan.second is not None:
            names = [text.shortened(one.name, 22) for one in (printer, plan.second)]
            self.on[number] = _choice(tr("Printer of piece {number}", number=piece.number),
                                      tr("The printer for this piece."), names,
                                      int(piece.second), partial(self._put_on, number))
            across.addWidget(self.on[number], 1)
        if len(own.loads) > 1:
            material = piece.wished.material if piece.wished is not None else ""
            now = own.loads.index(material) if material in own.loads else 0
            names = [text.shortened(name, 22) for name in own.loads]
            self.of[number] = _choice(
                tr("Material of piece {number}", number=piece.number),
                tr("The material of this piece. Different materials never share a bed."),
                names,
                now,
                partial(self._make_of, number),
            )
            across.addWidget(self.of[number], 1)
        if across.count():
            self.list.addLayout(across)

    def _put_on(self, number: int, which: int) -> None:
        if bool(which) != self._state.pieces[number].second:
            self._bedding.print_on(number, second=bool(which))

    def _make_of(self, number: int, which: int) -> None:
        piece, plan = self._state.pieces[number], self._state.plan
        own = plan.second if piece.second and plan.second is not None else self._state.printer
        self._bedding.make_of(number, own.loads[which] if which else "")


def _choice(name: str, tip: str, words: list[str], now: int, chosen: Callable[[int], None]) -> QComboBox:
    one = QComboBox()
    one.addItems(words)
    one.setCurrentIndex(now)
    one.setAccessibleName(name)
    one.setToolTip(tip)
    one.activated.connect(chosen)
    return one


def _ranged(numbers: list[int]) -> str:
    return (
        f"{numbers[0]}"
        if len(numbers) == 1
        else tr("{numbers} to {numbers2}", numbers=numbers[0], numbers2=numbers[-1])
    )
