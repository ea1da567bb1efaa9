"""Texts, signs of numbers and units, as environment and settings wish them."""

from __future__ import annotations

import ast
import json
import os
import re
import subprocess
import sys

import babel
import pytest
import trimesh

from deft_slab.core.locale import preferences, text, translate
from deft_slab.desk.storage.language import speak_as_set
from share import texts

LANGUAGES = [code for code in preferences.languages() if code != "en"]


@pytest.fixture
def habit(monkeypatch):
    """Sets variables of the environment, which are looked at anew."""

    def wear(**given):
        for name in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LC_NUMERIC", "LANG", preferences.UNITS, preferences.NUMBERS):
            monkeypatch.delenv(name, raising=False)
        for name, value in given.items():
            monkeypatch.setenv(name, value)
        preferences.forget()

    yield wear
    monkeypatch.undo()
    preferences.forget()


def placeholders(said):
    return sorted(re.findall(r"(?<!\{)\{(\w*)[^{}]*\}", said))


@pytest.mark.parametrize("code", LANGUAGES)
def test_every_text_is_translated_with_its_values(code):
    found = texts.catalogue(code)
    for message in texts.collected():
        if not message.id:
            continue
        known = found.get(message.id, message.context)
        assert known is not None, message.id
        if isinstance(message.id, str):
            assert known.string, message.id
            assert placeholders(known.string) == placeholders(message.id), message.id
            assert known.string.count("\n") == message.id.count("\n"), message.id
        else:
            assert all(known.string), message.id
            assert set(placeholders(known.string[-1])) == set(placeholders(message.id[-1])), message.id


def test_catalogues_are_as_the_source_has_them():
    """And what was compiled is what is read: the standard library reads it, which did not write it."""
    assert texts.main(["--check"]) == 0


def marked():
    """(where, texts, names of the values that they are given) of all calls in the source."""
    for path in sorted(texts.SOURCE.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in texts.KEYWORDS:
                said = [one.value for one in node.args if isinstance(one, ast.Constant)]
                said = said[1:] if node.func.id == "tr_in" else said
                given = {one.arg for one in node.keywords} | ({"n"} if node.func.id == "tr_many" else set())
                yield f"{path.name}:{node.lineno}", said, given


def test_texts_name_the_values_that_they_are_given():
    wrong = []
    for where, said, given in marked():
        named = {name for one in said for name in re.findall(r"\{(\w+)[^{}]*\}", one)}
        if given and not given - {"n"} <= named or named - given and given:
            wrong.append(where)
    assert wrong == []


def test_there_is_a_second_language():
    assert "de" in LANGUAGES


@pytest.mark.parametrize(
    ("worn", "language", "one", "several"),
    [
        ({"LANG": "de_DE.UTF-8"}, "de", "1 Teil", "3 Teile"),
        ({"LANGUAGE": "de:en"}, "de", "1 Teil", "3 Teile"),
        ({"LANG": "de_AT.UTF-8", "LC_MESSAGES": "C"}, "en", "1 piece", "3 pieces"),
        ({"LANG": "eo"}, "en", "1 piece", "3 pieces"),
        ({}, "en", "1 piece", "3 pieces"),
    ],
)
def test_the_language_is_looked_for_where_it_is_everywhere(habit, worn, language, one, several):
    """As GNU gettext: LANGUAGE, LC_ALL, LC_MESSAGES, LANG."""
    habit(**worn)
    assert preferences.language() == language
    assert translate.tr_many("{n} piece", "{n} pieces", 1) == one
    assert translate.tr_many("{n} piece", "{n} pieces", 3) == several


def test_what_means_several_things_is_told_apart(habit):
    habit(LANGUAGE="de")
    assert translate.tr_in("a menu", "File") == "Datei"
    assert translate.tr("File") == "File"
    assert translate.tr_in("a cut", "Sheet") != translate.tr("Sheet")
    assert translate.tr("no such text at all") == "no such text at all"
    assert translate.tr("") == ""


def test_values_are_written_with_the_signs_of_the_user(habit):
    habit(**{preferences.NUMBERS: "1.234,5"})
    assert translate.tr("{a:.2f} and {b:,} and {c}", a=1.5, b=12345, c="x.y,z") == "1,50 and 12.345 and x.y,z"
    assert text.volume(123_456.0) == "123 cm³"
    assert text.volume(23_456.0) == "23,5 cm³"
    assert text.count(1_234_567) == "1.234.567"
    habit(**{preferences.NUMBERS: "1 234,5"})
    assert text.money(1234.5) == "1\u202f234,50"


@pytest.mark.parametrize("code", LANGUAGES)
def test_signs_of_a_language_are_those_of_unicode(code):
    """Unicode CLDR, as Babel ships it."""
    signs = babel.Locale(code).number_symbols["latn"]
    assert preferences._OF_LANGUAGE[code] == (signs["decimal"], signs["group"])


@pytest.mark.parametrize(
    ("worn", "shown"),
    [
        ({"LANG": "de_DE.UTF-8"}, "1,5"), ({"LANG": "de_DE.UTF-8", "LC_NUMERIC": "en_US.UTF-8"}, "1.5"),
        ({"LANG": "C.UTF-8", "LANGUAGE": "de"}, "1,5"), ({"LANG": "C"}, "1.5"),
        ({"LANG": "de_DE.UTF-8", preferences.NUMBERS: "1,234.5"}, "1.5"),
        ({"LANG": "en_US.UTF-8", preferences.NUMBERS: "1.234,5"}, "1,5"),
        ({"LC_ALL": "no_such", "LANG": "de_DE"}, "1.5"),
    ],
)
def test_signs_follow_the_locale_unless_wished_otherwise(habit, worn, shown):
    habit(**worn)
    assert text.number(1.5, 1) == shown


def test_figures_in_inches(habit):
    """NIST SP 811 (2008), B.8: 1 in is 25.4 mm, 1 in² 645.16 mm², 1 in³ 16,387.064 mm³, 1 ft 304.8 mm."""
    habit(**{preferences.UNITS: "in"})
    assert text.mm(25.4) == "1.00 in"
    assert text.mm(0.0) == "0 in"
    assert text.mm(5080.0) == "200.0 in"
    assert text.length(0.15, 2) == "0.006 in"
    assert text.given(3.175) == "0.125 in"
    assert text.area(645.16) == "1.00 in²"
    assert text.area(6.4516) == "0.0100 in²"
    assert text.volume(16_387.064) == "1.00 in³"
    assert text.box((254.0, 25.4, 12.7)) == "10.00 × 1.00 × 0.50 in"
    assert text.any_box((3048.0, 304.8, 152.4)) == "10 × 1 × 0.5 ft"
    assert text.grams(1500) == "1.50 kg"
    assert text.layer(0.2) == "0.2 mm"


def test_figures_in_mm(habit):
    habit()
    assert (text.mm(0.04), text.mm(12.34), text.mm(123.4)) == ("0 mm", "12.3 mm", "123 mm")
    assert text.given(0.15) == "0.15 mm"
    assert text.any_box((2500.0, 1000.0, 30.0)) == "2.5 × 1 × 0.03 m"
    assert text.overhang(60.0, "bed") == "30° from the bed"


def test_the_settings_of_the_window_go_into_the_environment(habit, tmp_path, monkeypatch):
    habit(DEFT_SLAB_HOME=str(tmp_path), LANG="C")
    kept = tmp_path / "settings.json"
    kept.write_text(json.dumps({"language": "de", "units": "in", "numbers": "1 234,5"}), "utf-8")
    speak_as_set()
    try:
        assert (preferences.language(), preferences.inches(), preferences.separators()[0]) == ("de", True, ",")
        habit(DEFT_SLAB_HOME=str(tmp_path), DEFT_SLAB_UNITS="mm")
        speak_as_set()
        assert not preferences.inches()  # somebody set that one on purpose
    finally:
        for name in ("LANGUAGE", preferences.UNITS, preferences.NUMBERS):
            os.environ.pop(name, None)


@pytest.mark.parametrize("content", ["", "[1]", "{", '{"language": "tlh", "units": "ell", "numbers": 3}'])
def test_settings_that_make_no_sense_change_nothing(habit, tmp_path, content):
    habit(DEFT_SLAB_HOME=str(tmp_path), LANG="C")
    (tmp_path / "settings.json").write_text(content, "utf-8")
    speak_as_set()
    assert (preferences.language(), preferences.inches(), preferences.separators()) == ("en", False, (".", ","))


def run(*arguments, **env):
    # what the tests wear themselves is taken off first
    worn = {name: value for name, value in os.environ.items() if name not in (preferences.UNITS, preferences.NUMBERS)}
    return subprocess.run([sys.executable, "-m", "deft_slab.cli", *map(str, arguments)], capture_output=True,
                          encoding="utf-8", check=False, env=worn | env)


def test_commands_speak_german_and_figures_stay(tmp_path):
    """Whoever reads JSON gets the same numbers in every language; words and help are in the user's."""
    model = tmp_path / "box.stl"
    trimesh.creation.box((20.0, 30.0, 40.0)).export(model)
    missing = run("measure", tmp_path / "nothing.stl", LANGUAGE="de")
    assert missing.returncode == 1
    assert "lässt sich nicht lesen" in missing.stderr
    helped = run("measure", "--help", LANGUAGE="de")
    assert helped.stdout.startswith("Aufruf: deft-slab measure")
    assert "diese Hilfe zeigen und enden" in helped.stdout
    assert run("measure", LANGUAGE="de").returncode == 2
    english, german = (json.loads(run("measure", model, "--json", LANGUAGE=one).stdout) for one in ("en", "de"))
    numbers = {name: value for name, value in english.items() if isinstance(value, (int, float))}
    assert numbers
    assert numbers == {name: german[name] for name in numbers}
