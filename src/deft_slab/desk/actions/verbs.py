"""What menus, keys and buttons do if it needs a dialog, or more than one part of the state.

Dialogs are imported when they are first opened, because the window is there before them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QBuffer, QObject, QTimer
from PySide6.QtGui import QGuiApplication, QImage, QPixmap
from PySide6.QtWidgets import QDialog, QFileDialog, QMessageBox, QWidget

from ...core.arrays import Bytes
from ...core.errors import WouldReplace
from ...core.exporting.options import Wished
from ...core.exporting.paper_sizes import PAPERS, Paper
from ...core.exporting.safe_writing import write_whole
from ...core.formats import READ, WRITTEN, chooser
from ...core.locale import text
from ...core.locale.translate import tr
from ...demo import PROJECT
from ..desk_state import DeskState
from ..dialogs.sheet import SheetDialog
from ..guide.guide import Guide
from ..widgets.basics import plain
from ..widgets.notice import Notice

if TYPE_CHECKING:
    from ..help.window import HelpWindow

OPENABLE = tr("Models and projects ({list});;All files (*)", list=chooser())


class Verbs(QObject):
    """One method for each action; see ``table``.

    Attributes
    ----------
    window : QWidget
        The parent of all dialogs.
    """

    def __init__(self, window: QWidget, state: DeskState, notice: Notice) -> None:
        super().__init__(window)
        self.window, self.state, self._notice = window, state, notice
        hand_off = partial(self.ask_job_folder, Wished((), ("3mf",)), PAPERS[0])
        self.guide = Guide(state, self.ask_open, hand_off, self)
        self._then_told = ""
        state.opened.connect(lambda: QTimer.singleShot(0, self._tell_of_others))  # the notice is cleared on opening
        self.sheet: SheetDialog | None = None
        self.help: HelpWindow | None = None
        # the window knows what its actions are, and what its bed shows
        self.open_keys: Callable[[], None] = lambda: None
        self.redress: Callable[[], None] = lambda: None
        self.picture: Callable[[], QImage] = QImage
        state.opening.may_leave = self.may_leave
        state.would_replace.connect(self._ask_to_replace)

    # files

    def open_demo(self) -> None:
        self.state.opening.open(PROJECT)

    def ask_open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.window, tr("Open a model or a project"), self._folder(), OPENABLE)
        if name:
            self.state.opening.open(Path(name))

    def open_first(self, paths: Sequence[Path]) -> None:
        """Open the first of several files that can be opened; the others are added to the recent ones."""
        files = [path for path in paths if path.suffix.lower() in READ] or list(paths)
        first, *others = files
        for path in reversed(others):
            self.state.opening.remember(path)
        if others:
            listed = ", ".join(text.quoted(path.name) for path in others[:3]) + (" …" if len(others) > 3 else "")
            self._then_told = tr(
                "“{name}” is open, because you can work on only one prop at a time.\nThe others are under Recent "
                "in the file menu: {listed}. “deft-slab batch” processes a whole folder on its own.",
                name=first.name,
                listed=listed,
            )
        self.state.opening.open(first)

    def _tell_of_others(self) -> None:
        if self._then_told:
            self._notice.tell(self._then_told)
            self._then_told = ""

    def _folder(self) -> str:
        recent = self.state.settings.recent
        return str(Path(recent[0]).parent) if recent else ""

    def save(self) -> None:
        path = self.state.opening.path
        if path is None or path == PROJECT:
            self.ask_project_file()
        else:
            self.state.opening.save(path, replace=True)

    def _ask_3mf(self, title: str, suggestion: str) -> tuple[Path, bool] | None:
        """Ask where to write; returns the path, and whether the dialog has already asked before replacing a file."""
        name, _ = QFileDialog.getSaveFileName(
            self.window, title, str(Path(self._folder()) / suggestion), tr("3MF (*.3mf)")
        )
        if not name:
            return None
        named = name.lower().endswith(".3mf")
        return Path(name if named else name + ".3mf"), named

    def ask_project_file(self) -> None:
        asked = self._ask_3mf(tr("Save the project"), f"{self.state.project.title}-project.3mf")
        if asked is not None:
            self.state.opening.save(asked[0], replace=asked[1])

    def ask_3mf_file(self) -> None:
        asked = self._ask_3mf(
            tr("Write all pieces into one 3MF"), tr("{title} pieces.3mf", title=self.state.project.title)
        )
        if asked is not None:
            self.state.writing.together(asked[0], replace=asked[1])

    def ask_coupon_file(self, steps: tuple[float, ...]) -> None:
        """Ask where to write a coupon, and write it.

        Parameters
        ----------
        steps : tuple[float, ...]
            The clearance of each hole, in mm per side.
        """
        name, _ = QFileDialog.getSaveFileName(
            self.window,
            tr("Write a coupon"),
            str(Path(self._folder()) / "coupon.3mf"),
            tr("Models ({list})", list=chooser(written=True)),
        )
        if name:
            named = Path(name).suffix.lower()[1:] in WRITTEN
            self.state.fitting.write_coupon(steps, Path(name if named else name + ".3mf"), replace=named)

    def ask_stl_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self.window, tr("Folder for the STL files"), self._folder())
        if name:
            self.state.writing.pieces(Path(name))

    def ask_job_folder(self, wished: Wished, paper: Paper | None) -> None:
        what = tr("pieces and beds") if wished.pieces or wished.beds else tr("the sheet")
        name = QFileDialog.getExistingDirectory(self.window, tr("Folder for {what}", what=what), self._folder())
        if name:
            self.state.bedding.write(Path(name), wished, paper)

    def look_at_sheet(self, paper: Paper) -> None:
        self.state.bedding.draw_sheet(paper, lambda found: self._show_sheet(found.pages, paper))

    def _show_sheet(self, pages: Sequence[Bytes], paper: Paper) -> None:
        """Show a sheet. If one is already open, its pages are replaced."""
        if self.sheet is not None and self.sheet.isVisible():
            self.sheet.show_pages(pages)
            return
        write = partial(self.ask_job_folder, Wished((), ()))
        self.sheet = SheetDialog(pages, paper, self.look_at_sheet, write, self.window)
        self.sheet.show()

    def _ask_to_replace(self, error: WouldReplace, again: Callable[[], None]) -> None:
        answer = QMessageBox.question(
            self.window, tr("Replace?"), plain(tr("{what} Replace it?", what=error.what)),
            QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.Cancel, QMessageBox.StandardButton.Cancel,
        )
        if answer == QMessageBox.StandardButton.Yes:
            again()

    def may_leave(self) -> bool:
        """Ask before unsaved work is discarded; True if it may be."""
        history = self.state.history
        if not history.at_stake:
            return True
        lost = tr("changes that are not saved") if history.dirty else tr("undone steps that were never saved")
        answer = QMessageBox.question(
            self.window, tr("Unsaved changes"), plain(tr("“{title}” has {lost}. Discard them?",
                                                         title=self.state.project.title, lost=lost)),
            QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel, QMessageBox.StandardButton.Cancel,
        )
        return answer == QMessageBox.StandardButton.Discard

    def quit(self) -> None:
        self.window.close()

    # pictures

    def copy_picture(self) -> None:
        """Copy what the bed shows to the clipboard."""
        QGuiApplication.clipboard().setImage(self.picture())
        self._notice.tell(tr("The picture of the bed was copied."))

    def save_picture(self) -> None:
        suggestion = str(Path(self._folder()) / f"{self.state.project.title}.png")
        name, _ = QFileDialog.getSaveFileName(self.window, tr("Save the picture"), suggestion, tr("PNG (*.png)"))
        if not name:
            return
        path = Path(name if name.lower().endswith(".png") else name + ".png")
        self.state.attempt(lambda: write_whole(path, _as_png(self.picture())))

    # the rest

    def edit_printers(self) -> None:
        from ..dialogs.printer import PrinterDialog

        _ask(PrinterDialog(self.state, self.window))

    def show_recipes(self) -> None:
        from ..dialogs.recipes import RecipesDialog

        _ask(RecipesDialog(self.state, self.window))

    def lead(self) -> None:
        """Start the first job, or continue it."""
        self.guide.begin()

    def show_comfort(self) -> None:
        from ..dialogs.comfort import ComfortDialog

        _ask(ComfortDialog(self.state, self.redress, self.window))

    def show_keys(self) -> None:
        self.open_keys()

    def show_help(self, page: str) -> None:
        """Open a page of the help, in the window that may be open already."""
        if self.help is None:
            from ..help.window import HelpWindow

            self.help = HelpWindow(self.window)
        self.help.open_page(page)

    def show_report(self) -> None:
        from ..dialogs.trouble_report import ReportDialog

        _ask(ReportDialog(self.state, self.window))

    def keep_choice(self) -> None:
        self.state.choosing.keep()

    def stop(self) -> None:
        self.state.jobs.stop()

    def swap_drag(self) -> None:
        settings = self.state.settings
        self.state.change_settings(swap_drag=not settings.swap_drag)
        self._notice.tell(
            tr("Left drag now turns the view.") if settings.swap_drag else tr("Left drag now moves the view.")
        )


def _ask(dialog: QDialog) -> None:
    """Run a dialog and destroy it, so that it stops listening to the desk."""
    dialog.exec()
    dialog.deleteLater()


def _as_png(image: QImage) -> bytes:
    buffer = QBuffer()
    buffer.open(QBuffer.OpenModeFlag.WriteOnly)
    QPixmap.fromImage(image).save(buffer, "PNG")
    return bytes(buffer.data().data())
