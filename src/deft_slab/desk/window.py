"""The window: title strip, pieces, bed, step panel, ledger."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence, QResizeEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QMessageBox,
    QProgressBar,
    QSizePolicy,
    QSlider,
    QSplitter,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ..core.documents import triple
from ..core.errors import DeftError, WouldReplace
from ..core.intake.endings import ENDINGS
from ..demo import PROJECT
from . import actions
from .actions import Action
from .ledger.view import Ledger
from .left_card import LeftWorkCard
from .look.mark import Mark
from .pieces_pane import PiecesPane
from .printer_dialog import PrinterDialog
from .printers import profiles
from .scene.bed_view import BedView
from .scene.camera import VIEWS
from .state.desk import STEPS
from .steps.check import CheckPanel
from .steps.cut import CutPanel
from .steps.handoff import HandOffPanel
from .steps.join import JoinPanel
from .steps.size import SizePanel
from .steps.tilt import TiltPanel
from .twin import TwinView
from .whole import DeskState
from .widgets import text
from .widgets.binding import follow
from .widgets.height_rail import HeightRail
from .widgets.legend import OverhangLegend
from .widgets.notice import Notice
from .widgets.parts import Elided, Panel, button, label, row

OPENABLE = f"Models and projects ({' '.join(f'*{ending}' for ending in ENDINGS)});;All files (*)"


class Window(QMainWindow):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        state.opening.may_leave = self._may_leave
        self._closing = False
        self.setWindowTitle("Deft Slab")
        self.resize(1280, 800)
        self.setMinimumSize(1180, 700)
        self.setAcceptDrops(True)
        self._actions = {action.id: self._made(action) for action in actions.ALL}
        self.bed = BedView(state)
        self.notice = Notice()
        self.ledger = Ledger(state)
        self._build()
        follow(
            self, self.refresh, state.project_changed, state.opened, state.view_changed, state.step_changed,
            state.outcome_changed, state.selection_changed,
        )  # fmt: skip
        state.failed.connect(self._on_failed)
        state.would_replace.connect(self._ask_to_replace)
        state.autosave.problem_changed.connect(self._on_keeping)
        state.told.connect(self.notice.tell)
        state.opened.connect(self.notice.hide)
        state.jobs.progressed.connect(self._on_progress)
        self.bed.hovered.connect(self._on_hovered)
        if state.settings_problem:
            self.notice.warn(state.settings_problem, "They are put aside, not replaced, when a setting changes.")
        self.left_work.look()
        QTimer.singleShot(0, self.bed.wake)

    # building

    def _made(self, action: Action) -> QAction:
        made = QAction(action.text, self)
        made.setToolTip(action.tip)
        made.setShortcuts([QKeySequence(key) for key in action.keys])
        made.triggered.connect(lambda _checked=False: self._act(action))
        self.addAction(made)
        return made

    def _act(self, action: Action) -> None:
        if action.does.startswith("go_to_"):
            self.state.go_to(STEPS[int(action.does[-1]) - 1])
        else:
            getattr(self, action.does)()

    def _build(self) -> None:
        pane = QWidget()
        pane.setObjectName("pane")
        self.setCentralWidget(pane)
        column = QVBoxLayout(pane)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._strip())
        upper = QWidget()
        across = QHBoxLayout(upper)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(PiecesPane(self.state))
        self.twin = TwinView(self.state)
        self.twin.closed.connect(lambda: self.show_twin(shown=False))
        self._middles = QStackedWidget()
        self._middles.addWidget(self._middle())
        self._middles.addWidget(self.twin)
        across.addWidget(self._middles, 1)
        self.rail = HeightRail()
        self.rail.moved.connect(self._hide_below)
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
        self._busy = QProgressBar()
        self._busy.setRange(0, 1000)
        self._busy.setTextVisible(False)
        self._busy.setFixedWidth(140)
        self._doing = label("", "faint")
        self._stop = button("Stop", "Stops what is being worked on; the plan stays as it is.", self.stop, role="small")
        self.not_kept = label("", "look")
        self.not_kept.setAccessibleName("Unsaved work")
        for part in (self.not_kept, self._doing, self._busy, self._stop):
            self.ledger.foot.addWidget(part)
            part.hide()

    def _strip(self) -> QWidget:
        strip = QWidget()
        strip.setObjectName("strip")
        strip.setFixedHeight(44)
        self._file = QToolButton()
        self._file.setText("File")
        self._file.setToolTip("Open, save, recent files.")
        self._file.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._file_menu = QMenu(self)
        self._file_menu.aboutToShow.connect(self._fill_file_menu)
        self._file.setMenu(self._file_menu)
        self._file.setFixedHeight(28)
        self._title = Elided("title")
        self._size = label("", "faint")
        self._steps = QButtonGroup(self)
        tabs = []
        for step in STEPS:
            tab = QToolButton()
            tab.setText(step)
            tab.setCheckable(True)
            tab.setProperty("role", "step")
            tab.setToolTip(f"Opens the step “{step}” (Ctrl+{STEPS.index(step) + 1}).")
            tab.clicked.connect(partial(self.state.go_to, step))
            self._steps.addButton(tab)
            tabs.append(tab)
        self._undo = button("Undo", "", self.undo)
        self._redo = button("Redo", "", self.redo)
        self.chip = QToolButton()
        self.chip.setProperty("role", "chip")
        self.chip.setToolTip("The printer that “fits” is judged by. Click for another one, or to edit profiles.")
        self.chip.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._chip_menu = QMenu(self)
        self._chip_menu.aboutToShow.connect(self._fill_chip_menu)
        self.chip.setMenu(self._chip_menu)
        self.chip.setFixedHeight(28)
        layout = row(*tabs, spacing=8)
        layout.setContentsMargins(12, 0, 12, 0)
        # what lies on both sides takes equal shares, so that the steps keep their places whatever the name
        sides = (
            row(Mark(), self._file, self._title, self._size, 1, spacing=8),
            row(1, self.chip, self._undo, self._redo, spacing=8),
        )
        for place, side in zip((0, -1), sides, strict=True):
            holder = QWidget()
            holder.setLayout(side)
            holder.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            layout.insertWidget(place, holder, 1)
        strip.setLayout(layout)
        return strip

    def _middle(self) -> QWidget:
        holder = QWidget()
        stack = QVBoxLayout(holder)
        stack.setContentsMargins(0, 0, 0, 0)
        stack.addWidget(self.bed)
        over = QVBoxLayout(self.bed)
        over.setContentsMargins(12, 10, 12, 12)
        state = self.state
        self.on_bed = button("On the bed", "Each piece in its own seat, ready to print.",
                             lambda: state.show(in_place=False), checkable=True)  # fmt: skip
        self.in_place = button("In place", "The pieces where they belong on the prop, pulled apart.",
                               lambda: state.show(in_place=True), checkable=True)  # fmt: skip
        self.overhang = button("Overhang", "Colours the facets that need support.",
                               lambda: state.show(show_overhang=self.overhang.isChecked()),
                               checkable=True)  # fmt: skip
        self.support = button("Support", "Shows the space that support would fill.",
                              lambda: state.show(show_support=self.support.isChecked()), checkable=True)  # fmt: skip
        self._views = QToolButton()
        self._views.setText("Look from …")
        self._views.setToolTip("Ready views of the bed; dragging turns it, the wheel comes nearer.")
        self._views.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self)
        for view in VIEWS:
            menu.addAction(view, partial(self.bed.look_from, view))
        self._views.setMenu(menu)
        self._views.setFixedHeight(28)
        self.below = button("From below", "Looks up through the bed at the undersides, and stays below it.",
                            self._look_below, checkable=True)  # fmt: skip
        self.twin_button = button("Twin view", "Two choices side by side, with the figures that differ.",
                                  lambda: self.show_twin(shown=True))  # fmt: skip
        over.addLayout(
            row(self.on_bed, self.in_place, self.overhang, self.support, self.below, self._views, self.twin_button, 1)
        )
        self.left_work = LeftWorkCard(state)
        over.addWidget(self.left_work)
        over.addWidget(self.notice)
        over.addStretch(1)
        self._begin = self._beginning()
        over.addWidget(self._begin, 0, Qt.AlignmentFlag.AlignHCenter)
        over.addStretch(1)
        self.legend = OverhangLegend()
        self.legend.toggled.connect(self._toggle_angle)
        self._apart_card = QWidget()
        self.apart = QSlider(Qt.Orientation.Horizontal)
        self.apart.setRange(0, 100)
        self.apart.setValue(round(100 * state.view.apart))
        self.apart.setFixedWidth(120)
        self.apart.setAccessibleName("Pulled apart")
        self.apart.setToolTip("Pulls the pieces apart along their cuts; the plan stays as it is.")
        self.apart.valueChanged.connect(lambda value: state.show(apart=value / 100))
        self._apart_card.setLayout(row(label("pulled apart", "faint"), self.apart))
        self._hint = label("", "hint")
        self._hint.setFixedHeight(28)
        self._hint.hide()
        over.addLayout(row(self.legend, self._apart_card, self._hint, 1, spacing=12))
        return holder

    def _beginning(self) -> QWidget:
        """What to do while nothing is open."""
        card = QFrame()
        card.setProperty("role", "card")
        column = QVBoxLayout(card)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(10)
        column.addWidget(label("Open a model to see where it would need support.", "title"))
        column.addWidget(
            label("STL, 3MF, OBJ, PLY, OFF, GLB, glTF or STEP; or a project. You can also drop a file here.", "faint")
        )
        opens = button("Open …", "Opens a model or a project (Ctrl+O).", self.ask_open, role="main")
        demo = button("Open the demo", "Opens the gull figurehead, with three choices to compare.", self.open_demo)
        column.addLayout(row(opens, demo, 1))
        return card

    def _right(self) -> QWidget:
        right = QWidget()
        right.setObjectName("right")
        right.setFixedWidth(330)
        self.panels = {
            "Size": SizePanel(self.state), "Tilt": TiltPanel(self.state), "Cut": CutPanel(self.state),
            "Join": JoinPanel(self.state), "Check": CheckPanel(self.state), "Hand off": HandOffPanel(self.state, self),
        }  # fmt: skip
        self._stack = QStackedWidget()
        self._nothing = Panel()
        self._nothing.head("Nothing open")
        self._nothing.add(
            label("Each step shows its figures and controls here once a model is open.", "faint", wrap=True)
        )
        self._nothing.column.addStretch(1)
        for panel in (self._nothing, *self.panels.values()):
            self._stack.addWidget(panel)
        layout = QVBoxLayout(right)
        layout.setContentsMargins(1, 0, 0, 0)
        layout.addWidget(self._stack)
        return right

    def _fill_file_menu(self) -> None:
        menu = self._file_menu
        menu.clear()
        for action in actions.FILE[:2]:
            menu.addAction(self._actions[action.id])
        recent = [Path(path) for path in self.state.settings.recent if Path(path).exists()]
        if recent:
            menu.addSection("Recent")
            for path in recent:
                menu.addAction(path.name.replace("&", "&&"), partial(self.state.opening.open, path))
        menu.addSeparator()
        for name in ("save", "save_as"):
            menu.addAction(self._actions[name])
        menu.addSeparator()
        for name in ("swap_drag", "shortcuts", "quit"):
            menu.addAction(self._actions[name])

    def _fill_chip_menu(self) -> None:
        menu = self._chip_menu
        menu.clear()
        for profile in profiles():
            named = profile.printer.label.replace("&", "&&")
            choice = menu.addAction(named, partial(self.state.choose_printer, profile.printer))
            choice.setCheckable(True)
            choice.setChecked(profile.printer == self.state.printer)
        menu.addSeparator()
        menu.addAction(self._actions["printers"])

    def show_twin(self, *, shown: bool) -> None:
        """Begins or ends the twin view."""
        self._middles.setCurrentIndex(1 if shown else 0)
        # the button was hidden under the pointer and has not heard that it left: it would stay lit
        self.twin_button.setAttribute(Qt.WidgetAttribute.WA_UnderMouse, on=False)
        if shown:
            self.twin.begin()
        self._show_rail()

    def _fit_ledger(self) -> None:
        """The ledger takes the height of its rows, up to where the user has drawn the line; the bed gets the rest."""
        wanted = self.ledger.wanted_height
        self.ledger.setMaximumHeight(wanted)
        height = min(wanted, self.state.settings.ledger_height)
        self._splitter.setSizes([max(sum(self._splitter.sizes()) - height, 1), height])

    def _keep_ledger_height(self) -> None:
        height = self._splitter.sizes()[1]
        # as high as its rows: the line is where it was, and more rows may go on up to it
        if height < self.ledger.wanted_height or height > self.state.settings.ledger_height:
            self.state.change_settings(self.state.settings.model_copy(update={"ledger_height": height}))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_ledger()

    def _look_below(self) -> None:
        self.state.show(from_below=self.below.isChecked())
        self.bed.look_from("From below" if self.below.isChecked() else "From the front corner")

    def _hide_below(self, z: float) -> None:
        self.state.show(hidden_below=z)

    def _show_rail(self) -> None:
        state, piece = self.state, self.state.piece
        twin = self._middles.currentIndex() == 1
        shown = state.step == "Tilt" and piece is not None and not state.view.in_place and not twin
        self.rail.setVisible(shown)
        if shown:
            self.rail.show_layers(piece.layers, piece.lift, piece.figures.height_mm, state.view.hidden_below)

    # what actions do

    def edit_printers(self) -> None:
        PrinterDialog(self.state, self).exec()

    def open_demo(self) -> None:
        self.state.opening.open(PROJECT)

    def ask_open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open a model or a project", self._folder(), OPENABLE)
        if name:
            self.state.opening.open(Path(name))

    def _folder(self) -> str:
        recent = self.state.settings.recent
        return str(Path(recent[0]).parent) if recent else ""

    def save(self) -> None:
        if self.state.opening.path is None or self.state.opening.path == PROJECT:
            self.ask_project_file()
        else:
            self.state.opening.save(self.state.opening.path, replace=True)

    def _ask_3mf(self, title: str, suggestion: str) -> tuple[Path, bool] | None:
        """(where to write, whether the dialog has asked already before something there is replaced)."""
        name, _ = QFileDialog.getSaveFileName(self, title, str(Path(self._folder()) / suggestion), "3MF (*.3mf)")
        if not name:
            return None
        named = name.lower().endswith(".3mf")
        return Path(name if named else name + ".3mf"), named

    def ask_project_file(self) -> None:
        asked = self._ask_3mf("Save the project", f"{self.state.project.title}.3mf")
        if asked is not None:
            self.state.opening.save(asked[0], replace=asked[1])

    def ask_3mf_file(self) -> None:
        asked = self._ask_3mf("Write all pieces into one 3MF", f"{self.state.project.title} pieces.3mf")
        if asked is not None:
            self.state.writing.together(asked[0], replace=asked[1])

    def _ask_to_replace(self, error: WouldReplace, again: Callable[[], None]) -> None:
        answer = QMessageBox.question(
            self, "Replace?", text.plain(f"{error.what} Replace?"),
            QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.Cancel, QMessageBox.StandardButton.Cancel,
        )  # fmt: skip
        if answer == QMessageBox.StandardButton.Yes:
            again()

    def ask_stl_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder for the STL files", self._folder())
        if name:
            self.state.writing.pieces(Path(name))

    def undo(self) -> None:
        self.state.undo()

    def redo(self) -> None:
        self.state.redo()

    def keep_choice(self) -> None:
        self.state.choosing.keep()

    def stop(self) -> None:
        self.state.jobs.stop()

    def swap_drag(self) -> None:
        settings = self.state.settings
        self.state.change_settings(settings.model_copy(update={"swap_drag": not settings.swap_drag}))
        self.notice.tell("Left drag now " + ("moves the view." if self.state.settings.swap_drag else "turns the view."))

    def _toggle_angle(self) -> None:
        settings = self.state.settings
        other = "bed" if settings.angle_from == "wall" else "wall"
        self.state.change_settings(settings.model_copy(update={"angle_from": other}))

    def show_keys(self) -> None:
        lines = [f"<tr><td>{', '.join(a.keys)}&nbsp;&nbsp;</td><td>{a.tip}</td></tr>" for a in actions.ALL if a.keys]
        lines += [
            "<tr><td>On the bed</td><td>arrows turn, + and − come nearer, double click shows everything</td></tr>",
            "<tr><td>In a number</td><td>arrows step; units and sums are understood: 4.5in, 120/2</td></tr>",
            "<tr><td>In the ledger</td><td>Enter brings back, F2 renames, P pins, Delete removes</td></tr>",
        ]
        QMessageBox.information(self, "Keys", f"<table>{''.join(lines)}</table>")

    # what happens

    def _on_failed(self, error: DeftError) -> None:
        self.notice.warn(error.what, " ".join(part for part in (error.kept, error.remedy) if part))

    def _on_keeping(self) -> None:
        problem = self.state.autosave.problem
        self.not_kept.setVisible(bool(problem))
        self.not_kept.setText("Unsaved work is not kept")
        self.not_kept.setToolTip(text.plain(problem))
        if problem:
            self.notice.warn(
                "Unsaved work is not kept: if the program ends by itself, what is not saved is lost.",
                f"{problem} It is tried again; until then, save often.",
            )

    def _on_progress(self, share: float, doing: str) -> None:
        for part in (self._doing, self._busy, self._stop):
            part.setVisible(bool(doing))
        self._doing.setText(f"{doing} …" if doing else "")
        self._busy.setValue(round(1000 * share))
        if self._closing and not self.state.jobs.busy_with("handoff"):
            self.close()

    def _on_hovered(self, words: str) -> None:
        self._hint.setText(words)
        self._hint.setVisible(bool(words))

    def refresh(self) -> None:
        state = self.state
        project = state.history.project
        self._title.setText(project.title if project else "No model open")
        changed = " *" if state.history.dirty else ""
        self.setWindowTitle(f"{project.title}{changed} · Deft Slab" if project else "Deft Slab")
        self._size.setText(text.box(triple(state.sizing.size)) if state.is_open else "")
        self.chip.setText(state.printer.label.replace("&", "&&"))
        self._stack.setCurrentWidget(self.panels[state.step] if state.is_open else self._nothing)
        self._begin.setVisible(not state.is_open)
        for tab in self._steps.buttons():
            tab.setChecked(tab.text() == state.step)
        for made, words, what, nothing in (
            (self._undo, state.history.undo_text, "Takes back", "Nothing to take back."),
            (self._redo, state.history.redo_text, "Makes again", "Nothing to redo."),
        ):
            made.setEnabled(bool(words))
            made.setToolTip(text.plain(f"{what}: {words}") if words else nothing)
        several = len(state.pieces) > 1
        self.on_bed.setChecked(not state.view.in_place)
        self.in_place.setChecked(state.view.in_place)
        self.on_bed.setVisible(several and state.step != "Size")
        self.in_place.setVisible(several and state.step != "Size")
        self.overhang.setChecked(state.view.show_overhang)
        self.support.setChecked(state.view.show_support)
        posed = state.is_open and not state.view.in_place and state.step != "Size"
        for part in (self.overhang, self.support):
            part.setVisible(posed)
        self.legend.setVisible(posed and state.view.show_overhang)
        if state.is_open:
            self.legend.show_angles(state.plan.threshold, state.settings.angle_from)
        self.twin_button.setVisible(project is not None and bool(project.choices))
        if not state.is_open:
            self._middles.setCurrentIndex(0)
        self.below.setChecked(state.view.from_below)
        self._show_rail()
        self._apart_card.setVisible(several and state.view.in_place and state.step != "Size")
        for action in actions.ALL:
            self._actions[action.id].setEnabled(action.enabled(state))

    def _may_leave(self) -> bool:
        """Asks before unsaved work is left; true when it may be."""
        if not self.state.history.at_stake:
            return True
        lost = "changes that are not saved" if self.state.history.dirty else "steps taken back that were never saved"
        answer = QMessageBox.question(
            self, "Unsaved changes", text.plain(f"“{self.state.project.title}” has {lost}. Leave them?"),
            QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel, QMessageBox.StandardButton.Cancel,
        )  # fmt: skip
        return answer == QMessageBox.StandardButton.Discard

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.state.opening.open(paths[0])

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.state.jobs.busy_with("handoff"):
            event.ignore()  # what is being written for the user is finished first
            self._closing = True
            self.notice.tell("Writing files; the window closes when that is done.")
            return
        self._closing = False
        if not self._may_leave():
            event.ignore()
            return
        self.bed.sleep()
        self.twin.sleep()
        self.state.jobs.close()
        self.state.autosave.close()
        super().closeEvent(event)
