"""The help: the step that is open, the words, what the program is made of, in both languages."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from babel.messages.pofile import read_po
from PySide6.QtCore import Qt, QUrl
from PySide6.QtTest import QTest

from deft_slab import __version__
from deft_slab.core.locale import preferences
from deft_slab.desk.help import pages
from deft_slab.desk.help.glossary import GLOSSARY
from deft_slab.desk.state.desk import STEPS
from tests.desk.conftest import words

ROOT = Path(__file__).parents[2]
FILES = [pages.file_of(step) for step in STEPS]


def texts_of_the_window():
    """(English, German), without the dots of what asks for more."""
    with (ROOT / "src/deft_slab/texts/de/LC_MESSAGES/deft-slab.po").open("rb") as file:
        found = [one for one in read_po(file) if one.id]
    pairs = [(one.id, one.string) if isinstance(one.id, str) else (one.id[0], one.string[0]) for one in found]
    return [{text.removesuffix(" …") for text in side} for side in zip(*pairs, strict=True)]


def test_f1_explains_the_step_that_is_open(desk):
    for step in ("Tilt", "Join"):
        desk.state.go_to(step)
        desk.key(Qt.Key.Key_F1)
        shown = desk.window.verbs.help
        assert shown.isVisible()
        assert shown.page == step
        assert shown.text.toPlainText().startswith(step)
    shown.close()
    assert not shown.isVisible()


def test_the_help_menu_leads_to_all_of_it(desk):
    menu = desk.window.strip.help_menu
    assert [action.text() for action in menu.actions()] == [
        "Help on this step", "Glossary", "Keys", "First job", "Report …", "About Deft Slab"]
    by_name = {action.text(): action for action in menu.actions()}
    by_name["Glossary"].trigger()
    shown = desk.window.verbs.help
    for word, means in GLOSSARY:
        assert f"{word}: {means}" in shown.text.toPlainText()
    by_name["About Deft Slab"].trigger()
    assert shown.text.toPlainText().startswith(f"Deft Slab {__version__}")
    assert "manifold3d" in shown.text.toPlainText()
    assert desk.window.verbs.help is shown
    shown.close()


def test_words_are_found_on_whatever_page_they_are(desk):
    desk.window.verbs.show_help("Size")
    shown = desk.window.verbs.help
    QTest.keyClicks(shown.search, "sanding tool")
    assert shown.page == "Check"
    assert shown.text.textCursor().selectedText() == "sanding tool"
    QTest.keyClicks(shown.search, "zzz")
    assert "The help does not contain these words." in words(shown)
    shown.search.setText("coupon")
    seen = set()
    for _ in range(20):
        QTest.keyClick(shown.search, Qt.Key.Key_Return)
        seen.add(shown.page)
    assert {"Join", pages.GLOSSARY_PAGE} <= seen
    shown._follow(QUrl("tilt.md"))
    assert shown.page == "Tilt"
    shown.close()


@pytest.mark.parametrize("step", FILES)
def test_what_pages_call_a_control_is_what_the_window_calls_it(step):
    """Words in bold are labels; the docs and the help are one file."""
    for folder, known in zip((ROOT / "docs", ROOT / "docs/de"), texts_of_the_window(), strict=True):
        text = (folder / step).read_text("utf-8")
        bold = [" ".join(one.split()).removesuffix(" …") for one in re.findall(r"\*\*([^*]+)\*\*", text)]
        assert len(bold) >= 5
        assert [one for one in bold if one not in known] == []


def test_pages_come_in_the_language_of_the_user(monkeypatch):
    english = pages.markdown("Cut")
    assert "![" not in english
    monkeypatch.setenv("LANGUAGE", "de")
    preferences.forget()
    try:
        assert pages.markdown("Cut").startswith("# Schneiden\n")
        assert pages.title("Cut") == "Schneiden"
        monkeypatch.setattr(pages, "language", lambda: "no-such")
        assert pages.markdown("Cut") == english
    finally:
        monkeypatch.undo()
        preferences.forget()
