"""Whatever figure the window shows can be looked up: there, and in the docs."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt

from deft_slab.desk.ledger.model import COLUMNS
from deft_slab.desk.meanings import MEANINGS, as_markdown, hover, meaning_of
from deft_slab.desk.widgets.basics import Panel

PAGE = Path(__file__).parent.parent.parent / "docs/figures.md"


def test_every_figure_of_the_window_can_be_looked_up(desk):
    """Rows of the panels and columns of the ledger: where the pointer rests, it is said what it means and how it is
    computed; the page of figures says the same.
    """
    rows = [
        name
        for step in desk.window.panels.values()
        for panel in [step, *step.findChildren(Panel)]
        if isinstance(panel, Panel)
        for name in panel._figure_rows
    ]
    assert len(rows) > 40
    for name in [*rows, *(column.title for column in COLUMNS)]:
        found = meaning_of(name)
        assert found is not None, name
        assert found.how in hover(name, "here")
    head = desk.window.ledger.table.model().headerData(2, Qt.Orientation.Horizontal, Qt.ItemDataRole.ToolTipRole)
    assert MEANINGS["overhang area"].how in head
    page = PAGE.read_text("utf-8")
    assert page == as_markdown()
    for name, one in MEANINGS.items():
        assert f"| **{name}** | {one.means} | {one.how} |" in page
