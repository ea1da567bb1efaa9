"""Hand off: write the pieces ready to print, and save the project."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox

from ...core.handoff.equal import firsts_of
from ..verbs import Verbs
from ..whole import DeskState
from ..widgets import text
from ..widgets.binding import follow
from ..widgets.parts import Panel, button, emptied, label, line, row


class HandOffPanel(Panel):
    def __init__(self, state: DeskState, verbs: Verbs) -> None:
        super().__init__()
        self._state = state
        self.head("Pieces, seated on the bed")
        self._list = self.add_list()
        self.head("Write")
        self.stl = button(
            "Each piece as STL …", "One binary STL a piece, in its seat, lowest point at z = 0, in mm.",
            verbs.ask_stl_folder, role="main",
        )  # fmt: skip
        self.together = button(
            "All in one 3MF …", "All pieces, named, in their seats, side by side without overlap, in mm.",
            verbs.ask_3mf_file, role="main",
        )  # fmt: skip
        self.save = button(
            "Save the project …", "A 3MF with the pieces, the model as it was opened, and the plan with its choices.",
            verbs.ask_project_file,
        )  # fmt: skip
        self.equal = QCheckBox("Equal pieces as one file, with a count")
        self.equal.setToolTip("What is equal to another piece is printed from the file of the first, in its seat.")
        self.equal.clicked.connect(
            lambda on: state.change_settings(state.settings.model_copy(update={"equal_once": on}))
        )
        self.posts = QCheckBox("with their posts, in one body")
        self.posts.setToolTip("Pieces that have posts are written standing on them; else without any.")
        self.posts.clicked.connect(
            lambda on: state.change_settings(state.settings.model_copy(update={"with_posts": on}))
        )
        for part in (self.stl, self.together, self.equal, self.posts, self.save):
            self.add(part)
        self._where = label("", "faint", wrap=True)
        self.add(self._where)
        self.column.addStretch(1)
        follow(self, self.refresh, state.outcome_changed, state.project_changed, state.alike.changed)

    def refresh(self) -> None:
        emptied(self._list)
        evaluated = self._state.evaluated
        for part in (self.stl, self.together, self.save):
            part.setEnabled(evaluated is not None)
        if evaluated is None:
            self._list.addWidget(label("Open a model; its pieces are listed here, ready to write.", "faint", wrap=True))
            return
        beds = max(laid.bed for laid in evaluated.laid) + 1
        copies = evaluated.outcome.plan.copies
        alike = self._state.alike.found
        firsts = firsts_of(alike) if len(alike) == len(evaluated.outcome.pieces) else []
        self.equal.setVisible(len(set(firsts)) < len(firsts))
        self.equal.setChecked(self._state.settings.equal_once)
        self.posts.setVisible(bool(evaluated.outcome.posts))
        self.posts.setChecked(self._state.settings.with_posts)
        for number, piece in enumerate(evaluated.outcome.pieces):
            lies = sorted({laid.bed + 1 for laid in evaluated.laid[number :: len(evaluated.outcome.pieces)]})
            where = f"bed {_ranged(lies)}" if beds > 1 else ""
            where = f"{copies} times · {where}".strip(" ·") if copies > 1 else where
            if firsts and firsts[number] != number:
                where = f"equal to {firsts[number] + 1} · {where}".strip(" ·")
            self._list.addLayout(row(label(f"{piece.number}  {piece.name}"), 1, label(where, "faint")))
            fits = "" if piece.fit.fits else " · does not fit"
            self._list.addWidget(
                label(f"{text.box(piece.figures.size_mm)}{fits}", "faint" if piece.fit.fits else "look")
            )
            self._list.addWidget(line())
        path = self._state.opening.path
        saved = f"Project: {path.name}." if path else "The project has not been saved yet."
        self._where.setText(saved + (" Changed since." if path and self._state.history.dirty else ""))


def _ranged(numbers: list[int]) -> str:
    return f"{numbers[0]}" if len(numbers) == 1 else f"{numbers[0]} to {numbers[-1]}"
