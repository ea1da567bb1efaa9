"""A button with a menu of presets: take one, keep the present values, delete one."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from pydantic import ValidationError
from PySide6.QtWidgets import QInputDialog, QMenu, QToolButton

from ...core.document.base import first_problem
from ...core.errors import BadPlan, DeftError
from ...core.locale.translate import tr
from ..storage.presets import Of, Preset, shelf
from ..storage.shelf import MOST_LETTERS


class PresetsButton(QToolButton):
    """The presets of one part of the plan. ``now`` gives its kind and present values; ``take`` sets the values of a
    preset, and raises DeftError or ValidationError if they are invalid; ``failed`` is told what went wrong.
    """

    def __init__(
        self, of: Of, now: Callable[[], tuple[str, dict[str, Any]]], take: Callable[[dict[str, Any]], object],
        failed: Callable[[DeftError], object],
    ) -> None:
        super().__init__()
        self._of, self._now, self._take, self._failed = of, now, take, failed
        self.setText(tr("Presets"))
        self.setProperty("role", "small")
        self.setFixedHeight(22)  # as high as the small buttons beside it
        self.setToolTip(tr("Uses values that were stored under a name, or stores the present values."))
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.presets = QMenu(self)
        self.presets.aboutToShow.connect(self.fill)
        self.setMenu(self.presets)

    def fill(self) -> None:
        """Fill the menu with the kept presets."""
        kind, _ = self._now()
        kept = [one for one in shelf(self._of).all if one.item.kind == kind]
        self.presets.clear()
        for one in kept:
            self.presets.addAction(one.item.name.replace("&", "&&"), partial(self._use, one.item))
        if not kept:
            self.presets.addAction(tr("No presets yet")).setEnabled(False)
        self.presets.addSeparator()
        self.presets.addAction(tr("Store the present values …"), self._ask)
        gone = self.presets.addMenu(tr("Delete"))
        gone.setEnabled(bool(kept))
        for one in kept:
            gone.addAction(one.item.name.replace("&", "&&"), partial(shelf(self._of).remove, one.key))

    def _use(self, preset: Preset) -> None:
        try:
            self._take(preset.values)
        except ValidationError as error:
            self._failed(
                BadPlan(
                    tr(
                        "The preset “{name}” cannot be used here: {problem}",
                        name=preset.name,
                        problem=first_problem(error),
                    )
                )
            )
        except DeftError as error:
            self._failed(error)

    def _ask(self) -> None:
        name, agreed = QInputDialog.getText(self, tr("Store a preset"), tr("Name"))
        if agreed and name.strip():
            self.keep(name)

    def keep(self, name: str) -> None:
        """Keep the present values under a name. If the name is taken, a number is added to it."""
        kind, values = self._now()
        try:
            shelf(self._of).add(Preset(of=self._of, kind=kind, name=name.strip()[:MOST_LETTERS], values=values))
        except DeftError as error:
            self._failed(error)
