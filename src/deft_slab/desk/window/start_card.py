"""What lies over the bed while nothing is open: how to begin, and the recent files."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QFrame, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from ...core.formats import names
from ...core.locale.translate import tr
from ..actions.verbs import Verbs
from ..desk_state import DeskState
from ..refresh.binding import follow
from ..state.recents import picture_of
from ..widgets.basics import button, emptied, label, plain, row

_MOST = 5
_PICTURE = QSize(92, 64)


class Beginning(QFrame):
    """How to begin, and the recent files.

    Attributes
    ----------
    tiles : list of QToolButton
        The recent files that still exist.
    """

    def __init__(self, state: DeskState, verbs: Verbs) -> None:
        super().__init__()
        self._state = state
        self._shown: tuple[Path, ...] | None = None
        self.tiles: list[QToolButton] = []
        self.setProperty("role", "card")
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(10)
        column.addWidget(label(tr("Open a model to see where it would need support."), "title"))
        column.addWidget(
            label(
                tr("{list}, or a project. You can also drop a file here.", list=names()), "faint"
            )
        )
        opens = button(tr("Open …"), tr("Opens a model or a project (Ctrl+O)."), verbs.ask_open, role="main")
        demo = button(
            tr("Open the demo"), tr("Opens the gull figurehead, with two choices to compare."), verbs.open_demo
        )
        lead = button(tr("First job"), tr("Leads you through a first job, from the file to written beds, with one "
                                          "proposal for each step."),
                      verbs.lead)
        column.addLayout(row(opens, demo, lead, 1))
        self._recent = QWidget()
        lately = QVBoxLayout(self._recent)
        lately.setContentsMargins(0, 0, 0, 0)
        lately.addWidget(label(tr("Recently opened"), "head"))
        self._tiles: QHBoxLayout = row(spacing=8)
        lately.addLayout(self._tiles)
        column.addWidget(self._recent)
        follow(self, self.refresh, state.settings_changed, state.opened, state.recents.changed)
        state.recents.look()

    def refresh(self) -> None:
        """Show the recent files that still exist."""
        recent = self._state.recents.files[:_MOST]
        if recent == self._shown:
            return
        self._shown = recent
        self._recent.setVisible(bool(recent))
        emptied(self._tiles)
        self.tiles = [self._tile(path) for path in recent]
        for tile in self.tiles:
            self._tiles.addWidget(tile)
        self._tiles.addStretch(1)
        self.adjustSize()

    def _tile(self, path: Path) -> QToolButton:
        tile = QToolButton()
        tile.setText(self.fontMetrics().elidedText(path.name, Qt.TextElideMode.ElideMiddle, _PICTURE.width()))
        tile.setIcon(QIcon(picture_of(str(path))))
        tile.setIconSize(_PICTURE)
        tile.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        tile.setToolTip(plain(tr("Opens {path}", path=path)))
        tile.setAccessibleName(tr("Open {name}", name=path.name))
        tile.clicked.connect(partial(self._open, path))
        return tile

    def _open(self, path: Path) -> None:
        self._state.opening.open(path)
