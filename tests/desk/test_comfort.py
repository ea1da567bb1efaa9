"""Look and comfort: light and dark with the same meanings, motion, size of type."""

from __future__ import annotations

import os
import subprocess
import sys

import numpy as np
import pytest
from PySide6.QtCore import QPoint
from PySide6.QtGui import QColor, QImage, QPalette
from PySide6.QtWidgets import QAbstractButton, QLabel

from deft_slab.core.exporting.colours import PIECES
from deft_slab.desk.dialogs.comfort import ComfortDialog
from deft_slab.desk.look import palette
from deft_slab.desk.look.theme import dress
from deft_slab.desk.scene.camera import Camera
from deft_slab.desk.scene.flight import _between
from deft_slab.desk.storage.settings import load_settings
from tests.desk.conftest import PATIENCE


@pytest.fixture
def light_again(qapp):
    yield
    dress(qapp)


@pytest.fixture
def dialog(desk, light_again):
    made = ComfortDialog(desk.state, desk.window.redress, desk.window)
    made.show()
    yield made
    made.close()


def luminance(colour):
    """WCAG 2.2, relative luminance."""
    share = palette.rgb(colour) / 255
    linear = np.where(share <= 0.04045, share / 12.92, ((share + 0.055) / 1.055) ** 2.4)
    return float(linear @ [0.2126, 0.7152, 0.0722])


def contrast(one, other):
    """WCAG 2.2, contrast ratio."""
    a, b = sorted((luminance(one), luminance(other)), reverse=True)
    return (a + 0.05) / (b + 0.05)


GROUNDS = ("PAPER", "SHEET", "GROUND", "MADDER_WASH")


@pytest.mark.parametrize("dark", [False, True])
def test_words_and_borders_can_be_seen_in_both_looks(dark, light_again):
    """WCAG 2.2, 1.4.3: 4.5 to 1 for words; 1.4.11: 3 to 1 for the borders of controls and for marks. What is switched
    off is exempt.
    """
    palette.use(dark=dark)
    for ground in GROUNDS:
        for name in ("INK", "FAINT", "MADDER", "TEAL", "AMBER"):
            assert contrast(getattr(palette, name), getattr(palette, ground)) >= 4.5, (name, ground)
        assert contrast(palette.EDGE, getattr(palette, ground)) >= 3, ground
    assert contrast(palette.INK, palette.WRONG) >= 4.5
    assert contrast(palette.SHEET, palette.MADDER) >= 4.5  # selected words in a field
    for hue in (*PIECES, palette.RAMP[0]):
        assert contrast(palette.ON_RAMP, hue) >= 4.5, hue


def said_on(widget, pixels):
    """(the colour of its words, the colour behind them), the latter as it is painted: the commonest there.

    pixels : (height, width) uint32, of the whole window
    """
    seen = widget.visibleRegion().boundingRect().translated(widget.mapTo(widget.window(), QPoint(0, 0)))
    inside = pixels[seen.top() + 1 : seen.bottom(), seen.left() + 1 : seen.right()]
    values, counts = np.unique(inside & 0xFFFFFF, return_counts=True)
    role = widget.foregroundRole() if isinstance(widget, QLabel) else QPalette.ColorRole.ButtonText
    return widget.palette().color(role).name(), f"#{values[counts.argmax()]:06x}"


@pytest.mark.parametrize("dark", [False, True])
def test_every_word_of_every_page_can_be_read(desk, tee, light_again, dark):
    """Each label and button that is seen on the pages of all steps, against what is painted behind it."""
    desk.open(tee)
    desk.state.change_settings(look="dark" if dark else "light")
    desk.window.redress()
    assert palette.is_dark() == dark
    pairs, faint = {}, []
    for step, panel in desk.window.panels.items():
        desk.state.go_to(step)
        for page in getattr(panel, "pages", {"": None}):
            if page:
                panel.turn_to(page)
            desk.qtbot.wait(30)
            shot = desk.window.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
            pixels = np.frombuffer(shot.constBits(), np.uint32).reshape(shot.height(), -1)
            for widget in desk.window.findChildren(QLabel) + desk.window.findChildren(QAbstractButton):
                seen = widget.visibleRegion().boundingRect()
                if widget.isEnabled() and widget.text().strip() and min(seen.width(), seen.height()) > 8:
                    pair = said_on(widget, pixels)
                    pairs[pair] = pairs.get(pair, 0) + 1
                    if contrast(*pair) < 4.5:
                        faint.append((step, page, widget.text(), pair))
    assert faint == []
    assert len(pairs) >= 6


def test_both_looks_have_the_same_colours_by_name():
    assert set(palette._LIGHT) == set(palette._DARK)
    assert all(isinstance(value, type(palette._LIGHT[name])) for name, value in palette._DARK.items())


def test_the_look_changes_at_once_and_is_kept(desk, tee, dialog):
    """Paper, bed and what is drawn on it: as the window shows it, and as it is painted."""
    desk.open(tee)
    desk.qtbot.waitUntil(lambda: desk.bed.picture is not None, timeout=PATIENCE)

    def corner():
        return QColor(desk.bed.as_image().pixel(3, 3)).name().upper()

    assert corner() == palette.GROUND
    light = palette.GROUND
    desk.click(dialog.looks["dark"])
    desk.qtbot.waitUntil(lambda: desk.bed.picture is not None and corner() == palette.GROUND, timeout=PATIENCE)
    assert light != palette.GROUND
    pane = desk.window.grab().toImage().pixelColor(1, 60)  # of a screen that may have few colours
    assert np.abs(palette.rgb(pane.name()) - palette.rgb(palette.PAPER)).max() < 9
    desk.qtbot.waitUntil(lambda: load_settings().look == "dark", timeout=PATIENCE)
    desk.click(dialog.looks["light"])
    desk.qtbot.waitUntil(lambda: corner() == light, timeout=PATIENCE)


def test_choices_are_kept(desk, dialog):
    desk.click(dialog.sizes[150])
    desk.click(dialog.angles["bed"])
    dialog.motion.click()
    dialog.swap.click()
    desk.qtbot.waitUntil(lambda: load_settings().type_size == 150, timeout=PATIENCE)
    kept = load_settings()
    assert (kept.angle_from, kept.motion, kept.swap_drag) == ("bed", True, True)


def test_a_flight_takes_the_short_way_round(desk):
    start, end = (
        Camera(azimuth=170.0, elevation=0.0, distance=100.0),
        Camera(azimuth=-170.0, elevation=40.0, distance=400.0),
    )
    half = _between(start, end, 0.5)
    assert abs(half.azimuth) == pytest.approx(180.0)
    assert (half.elevation, half.distance) == (pytest.approx(20.0), pytest.approx(200.0))
    assert _between(start, end, 0.0) == start


def test_a_flight_ends_where_it_is_to_and_gives_way_to_the_hand(desk, tee, monkeypatch):
    desk.open(tee)
    desk.qtbot.waitUntil(lambda: desk.bed.picture is not None, timeout=PATIENCE)
    desk.state.change_settings(motion=True)
    monkeypatch.setattr(type(desk.bed), "draws_slowly", property(lambda _: False))
    flight = desk.bed.flight
    flight._fly(np.array([1.0, 2.0, 3.0]), 77.0, 12.0, 9.0)
    desk.qtbot.waitUntil(lambda: desk.bed.camera.distance == 77.0, timeout=PATIENCE)
    assert desk.bed.camera.focus == (1.0, 2.0, 3.0)
    flight._fly(np.array([9.0, 9.0, 9.0]), 300.0, 100.0, 40.0)
    flight._move(0.3)
    desk.bed.look_from("From above")
    turned = desk.bed.camera
    flight._move(0.6)
    assert desk.bed.camera == turned


def test_the_size_of_type_is_that_of_the_whole_window(tmp_path):
    """As the program is started: everything is 1.5 times as large."""
    code = (
        "import os, sys\n"
        "from deft_slab.desk.storage.settings import Settings, keep_settings\n"
        "keep_settings(Settings(type_size=150))\n"
        "from deft_slab.desk import start\n"
        "start.Window.show = lambda window: (print(window.devicePixelRatioF()), sys.stdout.flush(), os._exit(0))\n"
        "start.run([])\n"
    )
    env = {**os.environ, "DEFT_SLAB_HOME": str(tmp_path), "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, encoding="utf-8", check=False, env=env)
    assert done.stdout.strip() == "1.5", done.stderr


def test_language_lengths_and_numbers_are_kept_for_the_next_start(desk, dialog):
    """Each language stands there by its own name; what is chosen counts when the program is started next."""
    assert dialog.languages["de"].text() == "Deutsch"
    for made, value in ((dialog.languages, "de"), (dialog.units, "in"), (dialog.numbers, "1.234,5")):
        made[value].click()
        assert [key for key, one in made.items() if one.isChecked()] == [value]
    desk.qtbot.waitUntil(lambda: load_settings().numbers == "1.234,5", timeout=PATIENCE)
    kept = load_settings()
    assert (kept.language, kept.units, kept.numbers) == ("de", "in", "1.234,5")
    assert desk.state.settings == kept


def test_the_program_starts_in_what_was_chosen(tmp_path):
    """As it is started, with nothing in the environment: steps in German, fields in inches, numbers with a comma."""
    (tmp_path / "settings.json").write_text('{"language": "de", "units": "in", "numbers": "1.234,5"}', "utf-8")
    code = (
        "import os, sys\n"
        "from deft_slab import cli\n"
        "from deft_slab.desk.storage.language import speak_as_set\n"
        "speak_as_set()\n"
        "from deft_slab.core.locale import text\n"
        "from deft_slab.desk import start\n"
        "def shown(window):\n"
        "    print(window.strip.tabs['Size'].text(), text.mm(63.5))\n"
        "    sys.stdout.flush()\n"
        "    os._exit(0)\n"
        "start.Window.show = shown\n"
        "cli.main([])\n"
    )
    own = ("DEFT_SLAB_UNITS", "DEFT_SLAB_NUMBERS", "LANGUAGE")
    env = {name: value for name, value in os.environ.items() if name not in own}
    env |= {"DEFT_SLAB_HOME": str(tmp_path), "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, encoding="utf-8", check=False, env=env)
    assert done.stdout.strip() == "Größe 2,50 in", done.stderr
