"""The window in other languages: nothing in it is unmarked, nothing is too wide, and what is a key stays one."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys

import pytest
import trimesh
from babel.messages.catalog import Catalog

from deft_slab.core.locale import preferences
from share import texts

WALK = r"""
import json, os, re, sys, time
from pathlib import Path
from deft_slab.core.locale import preferences

preferences.TEXTS = Path(sys.argv[2])  # in the worker too, which loads this file
from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import (
    QAbstractButton, QApplication, QComboBox, QLabel, QLineEdit, QStyle, QStyleOptionComboBox, QWidget,
)
from deft_slab.desk.messages.jobs import Jobs
from deft_slab.desk.look.theme import dress
from deft_slab.desk.worker.process import run_process
from deft_slab.desk.state.desk import STEPS
from deft_slab.desk.desk_state import DeskState
from deft_slab.desk.widgets.basics import Panel
from deft_slab.desk.window.window import Window

KINDS = ("text", "toolTip", "accessibleName", "windowTitle", "placeholderText")


def bare(words):
    # what is left of a text when all that was marked is taken out of it, inner ones first
    while (less := re.sub("⟦[^⟦⟧]*⟧", "", words)) != words:
        words = less
    return words


def main():
    app = QApplication([])
    dress(app, dark=False)
    state = DeskState(Jobs(run_process))
    window = Window(state)
    window.resize(1280, 800)
    window.show()
    unmarked, wide = {}, []
    place, usual = [""], QPainter.drawText

    def draw(painter, *given):
        # what is painted is in no widget's text: it is looked at as it is drawn
        words = next((one for one in given if isinstance(one, str)), "")
        judge(words, f"painted, {place[0]}")
        if hasattr(given[0], "width"):
            flags = sum(int(one) for one in given[1:] if isinstance(one, int | Qt.TextFlag | Qt.AlignmentFlag))
            wraps = flags & int(Qt.TextFlag.TextWordWrap)
            took = painter.fontMetrics().horizontalAdvance(words)
            if not wraps and took > given[0].width() + 1:
                wide.append([place[0], f"painted: {words}", took, given[0].width()])
        return usual(painter, *given)

    QPainter.drawText = draw

    def judge(words, where):
        if words.endswith("…") and "⟦" in words:
            words = words.removesuffix("…") + "⟧" * (words.count("⟦") - words.count("⟧"))
        if re.search("[A-Za-z]{2}", re.sub("[cm]m[²³]?", "", bare(words))):
            unmarked.setdefault(words, where)

    def wait(done=lambda: not state.jobs.busy):
        end = time.monotonic() + 300
        while not done() and time.monotonic() < end:
            app.processEvents()
            time.sleep(0.02)
        for _ in range(6):
            app.processEvents()

    def look(where):
        for widget in window.findChildren(QWidget):
            for kind in KINDS:
                if kind == "text" and isinstance(widget, QLineEdit) or not callable(getattr(widget, kind, None)):
                    continue
                try:
                    words = getattr(widget, kind)()
                except TypeError:
                    continue
                if isinstance(words, str):
                    judge(words, where)
            whole = isinstance(widget, QAbstractButton) or type(widget) is QLabel and not widget.wordWrap()
            if whole and widget.isVisible() and widget.width() < (least := widget.minimumSizeHint().width()):
                wide.append([where, f"{type(widget).__name__}: {widget.text()}", least, widget.width()])
            if isinstance(widget, QComboBox) and widget.isVisible():
                option = QStyleOptionComboBox()
                widget.initStyleOption(option)
                part = QStyle.SubControl.SC_ComboBoxEditField
                room = widget.style().subControlRect(QStyle.ComplexControl.CC_ComboBox, option, part, widget).width()
                took = widget.fontMetrics().horizontalAdvance(widget.currentText())
                if took > room:
                    wide.append([where, f"chosen: {widget.currentText()}", took, room])
        head = window.ledger.table.horizontalHeader()
        for n in range(1, head.count()):  # a title breaks between its words
            longest = max(str(head.model().headerData(n, Qt.Orientation.Horizontal)).split(), key=len)
            took, room = head.fontMetrics().horizontalAdvance(longest), head.sectionSize(n) - 2
            if not head.isSectionHidden(n) and head.isVisible() and took > room:
                wide.append([where, f"head: {longest}", took, room])
        for panel in window.findChildren(Panel):
            sides = panel.column.contentsMargins()
            room = panel.viewport().width() - sides.left() - sides.right()
            if panel.isVisible():
                rows = (panel.column.itemAt(n).minimumSize().width() for n in range(panel.column.count()))
                wide.extend([where, type(panel).__name__, row, room] for row in rows if row > room)

    wait(lambda: all(window.panels.values()))
    look("nothing open")
    state.opening.open(Path(sys.argv[1]))
    wait(lambda: state.is_open and state.up_to_date and not state.jobs.busy)
    state.cutting.add((0.0, 0.0, 1.0), 0.0)
    wait(lambda: state.up_to_date and not state.jobs.busy)
    state.joining.propose()
    wait(lambda: state.up_to_date and not state.jobs.busy)
    for step in STEPS:
        place[0] = step
        state.go_to(step)
        wait()
        panel = window.panels[step]
        for page in getattr(panel, "pages", {"": None}):
            if page:
                panel.turn_to(page)
            wait()
            look(f"{step} {page}")
    print(json.dumps([unmarked, wide]))
    sys.stdout.flush()
    state.jobs.close()
    os._exit(0)  # what Qt lets go of at the end is not what is asked


if __name__ == "__main__":
    main()
"""


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """The catalogues, and one more: each text in brackets."""
    made = Catalog(locale="de", charset="utf-8", fuzzy=False)
    for message in texts.collected():
        if message.id:
            both = message.id if isinstance(message.id, tuple) else (message.id,)
            marked = tuple(f"⟦{one}⟧" for one in both)
            made.add(message.id, marked if isinstance(message.id, tuple) else marked[0], context=message.context)
    folder = tmp_path_factory.mktemp("walk")
    shutil.copytree(preferences.TEXTS, folder / "texts")
    place = folder / "texts/xx/LC_MESSAGES/deft-slab.mo"
    place.parent.mkdir(parents=True)
    place.write_bytes(texts.as_mo(made))
    (folder / "walk.py").write_text(WALK, "utf-8")
    trimesh.creation.box((60.0, 40.0, 90.0)).export(folder / "post.stl")
    return folder


def walked(folder, **env):
    """(texts that were not marked, by where; rows that are wider than their panel) of a walk through all pages."""
    given = [str(folder / one) for one in ("walk.py", "post.stl", "texts")]
    done = subprocess.run([sys.executable, *given], capture_output=True, encoding="utf-8", check=False,
                          env={**os.environ, "DEFT_SLAB_HOME": str(folder / "home"), **env})
    assert done.returncode == 0, done.stderr
    assert "Traceback" not in done.stderr, done.stderr
    return json.loads(done.stdout.splitlines()[-1])


def test_all_that_the_window_shows_is_marked(folder):
    """A text in no brackets would stay English whatever was translated."""
    unmarked, _ = walked(folder, LANGUAGE="xx")
    names = ("Deft Slab", "Middle filament bed", "STL", "OBJ", "PLY", "OFF", "GLB", "3MF", "Letter", "post", "Post")
    left = {words: where for words, where in unmarked.items() if not any(name in words for name in names)}
    assert left == {}


@pytest.mark.parametrize("worn", [{"LANGUAGE": "en"}, {"LANGUAGE": "de"}, {"LANGUAGE": "de", preferences.UNITS: "in"}])
def test_no_page_is_wider_than_its_room(folder, worn):
    """German is the longer one; at 1280 x 800, the least that the window is made for."""
    _, wide = walked(folder, **worn)
    assert wide == []
