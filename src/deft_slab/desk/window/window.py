"""The window: title strip, pieces, bed, step panel, ledger."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence, QResizeEvent
from PySide6.QtWidgets import QApplication, QHBoxLayout, QMainWindow, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from ...core.errors import DeftError
from ...core.locale.translate import tr
from ..actions import table
from ..actions.keys_dialog import KeysDialog, keys_of
from ..actions.table import Action
from ..actions.verbs import Verbs
from ..desk_state import DeskState
from ..ledger.view import Ledger
from ..look.theme import dress, sheet, wants_dark
from ..refresh.batching import all_caught_up, gathered
from ..refresh.binding import follow
from ..refresh.side_thread import all_done, load_beside
from ..steps.panels import StepPanels
from ..widgets.basics import Panel, label
from ..widgets.height_rail import HeightRail
from ..widgets.notice import Notice
from .bed_frame import BedFrame
from .pieces_pane import PiecesPane
from .status_bar import Foot
from .title_strip import TitleStrip
from .twin_view import TwinView

_FRAME = 16
"""ms."""


class Window(QMainWindow):
    """The window.

    Attributes
    ----------
    frame : BedFrame
        The bed, with what lies over it.
    panels : StepPanels
        One panel for each step.
    """

    ready = Signal()
    """All of it is made; it is shown before."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self._closing = False
        self.setWindowTitle("Deft Slab")
        self.resize(1280, 800)
        self.setMinimumSize(1260, 700)  # seven switches beside each other over the bed
        self.setAcceptDrops(True)
        self.notice = Notice()
        self.verbs = Verbs(self, state, self.notice)
        self.verbs.open_keys = self._open_keys
        self._actions = {action.id: self._made(action) for action in table.ALL}
        self.strip = TitleStrip(state, self._actions)
        self.frame = BedFrame(state, self.notice, self.verbs)
        self.bed = self.frame.bed
        self.verbs.picture = self.bed.as_image
        self.verbs.redress = self.redress
        self._stack = QStackedWidget()
        self.panels = StepPanels(state, self.verbs, self._stack)
        self.ledger = Ledger(state)
        self.foot = Foot(state)
        self._build()
        self.setStyleSheet(sheet())
        follow(
            self, self.refresh, state.project_changed, state.opened, state.view_changed, state.step_changed,
            state.outcome_changed, state.selection_changed, state.checking.changed,
        )
        state.failed.connect(self._on_failed)
        state.autosave.problem_changed.connect(self._on_keeping)
        state.told.connect(self.notice.tell)
        state.opened.connect(self.notice.hide)
        state.jobs.progressed.connect(self._on_progress)
        if state.settings_problem:
            self.notice.warn(state.settings_problem, tr("They are set aside, not replaced, when a setting changes."))
        self.frame.left_work.look()
        QTimer.singleShot(0, state.printing.begin)
        QTimer.singleShot(_FRAME, self._wake)

    # building

    def _made(self, action: Action) -> QAction:
        made = QAction(action.text, self)
        made.setToolTip(action.tip)
        made.setShortcuts([QKeySequence(key) for key in keys_of(action, self.state)])
        made.triggered.connect(lambda _checked=False: gathered()(action.does)(self.verbs))
        self.addAction(made)
        return made

    def _open_keys(self) -> None:
        KeysDialog(self.state, self._actions, self._set_keys, self).exec()

    def redress(self) -> None:
        """Apply the chosen look to the whole window."""
        application = QApplication.instance()
        if isinstance(application, QApplication):
            dress(application, dark=wants_dark(self.state.settings.look, application))
            self.setStyleSheet(sheet())
            for view in (self.bed, *self.twin.panes):
                view.redress()
            for part in self.findChildren(QWidget):
                part.update()

    def _set_keys(self) -> None:
        for action in table.ALL:
            self._actions[action.id].setShortcuts([QKeySequence(key) for key in keys_of(action, self.state)])

    def _build(self) -> None:
        pane = QWidget()
        pane.setObjectName("pane")
        self.setCentralWidget(pane)
        column = QVBoxLayout(pane)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.strip)
        upper = QWidget()
        across = QHBoxLayout(upper)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(PiecesPane(self.state))
        self.twin = TwinView(self.state)
        self.twin.closed.connect(partial(self.show_twin, shown=False))
        self.frame.twin_wanted.connect(partial(self.show_twin, shown=True))
        self._middles = QStackedWidget()
        self._middles.addWidget(self.frame)
        self._middles.addWidget(self.twin)
        across.addWidget(self._middles, 1)
        self.rail = HeightRail()
        self.rail.moved.connect(self._on_rail)
        self.rail.stepped.connect(self.state.checking.step)
        self.rail.picked.connect(lambda picked: self.state.checking.fly(*picked))
        across.addWidget(self.rail)
        across.addWidget(self._right())
        self._splitter = QSplitter(Qt.Orientation.Vertical)
        self._splitter.setChildrenCollapsible(False)
        self._splitter.addWidget(upper)
        self._splitter.addWidget(self.ledger)
        self._splitter.setStretchFactor(0, 1)
        self._drawn = QTimer(self)  # the settings are written once the line is let go, not at each of its places
        self._drawn.setSingleShot(True)
        self._drawn.setInterval(400)
        self._drawn.timeout.connect(self._keep_ledger_height)
        self._splitter.splitterMoved.connect(lambda *_: self._drawn.start())
        self.ledger.rows_changed.connect(self._fit_ledger)
        column.addWidget(self._splitter, 1)
        for part in self.foot.parts:
            self.ledger.foot.addWidget(part)

    def _wake(self) -> None:
        """Once the window is painted: import VTK, then make the panels, one after the other."""
        self.bed.wake()
        load_beside("numpy.ma")  # a tenth of a second at the first median
        QTimer.singleShot(0, self._make_panels)

    def _make_panels(self) -> None:
        if self.panels.make_next():
            QTimer.singleShot(_FRAME, self._make_panels)
        else:
            self.ready.emit()

    def _right(self) -> QWidget:
        right = QWidget()
        right.setObjectName("right")
        right.setFixedWidth(330)
        self._nothing = Panel()
        self._nothing.head(tr("Nothing open"))
        self._nothing.add(
            label(
                tr(
                    "Open a model, a project or the demo (press Ctrl+O, or drop a file on the window). Each step "
                    "then shows its figures and controls here. “First job” leads you through all of them."
                ),
                "faint",
                wrap=True,
            )
        )
        self._nothing.column.addStretch(1)
        self._stack.addWidget(self._nothing)
        layout = QVBoxLayout(right)
        layout.setContentsMargins(1, 0, 0, 0)
        layout.addWidget(self._stack)
        return right

    # the ledger's height

    def _fit_ledger(self) -> None:
        """Give the ledger the height of its rows, up to where the user dragged its border; the bed gets the rest."""
        wanted = self.ledger.wanted_height
        self.ledger.setMaximumHeight(wanted)
        height = min(wanted, self.state.settings.ledger_height)
        self._splitter.setSizes([max(sum(self._splitter.sizes()) - height, 1), height])

    def _keep_ledger_height(self) -> None:
        height = self._splitter.sizes()[1]
        # as high as its rows: the line is where it was, and more rows may go on up to it
        if height < self.ledger.wanted_height or height > self.state.settings.ledger_height:
            self.state.change_settings(ledger_height=height)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_ledger()

    # what is shown

    @property
    def drawn(self) -> bool:
        """Whether everything visible is drawn up to date."""
        views = (self.bed, *self.twin.panes)
        return all_caught_up() and all_done() and not any(view.draws for view in views if view.isVisible())

    def show_twin(self, *, shown: bool) -> None:
        """Begin or end the twin view."""
        self._middles.setCurrentIndex(1 if shown else 0)
        # the button was hidden under the pointer and has not heard that it left: it would stay lit
        self.frame.twin_button.setAttribute(Qt.WidgetAttribute.WA_UnderMouse, on=False)
        if shown:
            self.twin.begin()
        self._show_rail()

    def _show_rail(self) -> None:
        state, piece = self.state, self.state.piece
        in_sight = not state.view.in_place and self._middles.currentWidget() is self.frame and piece is not None
        self.rail.setVisible(in_sight and state.step in ("Tilt", "Check"))
        if not in_sight or piece is None:
            return
        if state.step == "Tilt":
            self.rail.show_layers(piece.layers, piece.lift, piece.figures.height_mm, state.view.hidden_below)
        elif state.step == "Check":
            from ..steps.check.rail import show_on_rail  # with its panel, which the window is there before

            show_on_rail(self.rail, state)

    def _on_rail(self, z: float) -> None:
        if self.state.step == "Check":
            self.state.checking.set_height(z)
        else:
            self.state.show(hidden_below=z)

    def refresh(self) -> None:
        state = self.state
        changed = " *" if state.history.dirty else ""
        self.setWindowTitle(
            tr("{title}{changed} · Deft Slab", title=state.project.title, changed=changed)
            if state.is_open
            else "Deft Slab"
        )
        self._stack.setCurrentWidget(self.panels[state.step] if state.is_open else self._nothing)
        if not state.is_open:
            self._middles.setCurrentIndex(0)
        self._show_rail()
        for action in table.ALL:
            self._actions[action.id].setEnabled(action.enabled(state))

    # what happens

    def _on_failed(self, error: DeftError) -> None:
        self.notice.warn(error.what, " ".join(part for part in (error.kept, error.remedy) if part))

    def _on_keeping(self) -> None:
        problem = self.state.autosave.problem
        self.foot.show_problem(problem)
        if problem:
            self.notice.warn(
                tr("Unsaved work cannot be stored. If the program ends unexpectedly, it is lost."),
                tr("{problem} The program keeps trying. Until then, save often.", problem=problem),
            )

    def _on_progress(self, share: float, doing: str) -> None:
        self.foot.show_progress(share, doing)
        if self._closing and not self.state.jobs.busy_with("handoff"):
            self.close()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.verbs.open_first(paths)

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.state.jobs.busy_with("handoff"):
            event.ignore()  # what is being written for the user is finished first
            self._closing = True
            self.notice.tell(tr("Writing files. The window closes when they are done."))
            return
        self._closing = False
        if not self.verbs.may_leave():
            event.ignore()
            return
        self.bed.sleep()
        self.twin.sleep()
        self.state.jobs.close()
        self.state.close()
        super().closeEvent(event)
