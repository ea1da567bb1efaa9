"""Fonts and the style sheet."""

from __future__ import annotations

from importlib import resources
from pathlib import Path
from string import Template

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

from . import palette as p

_HERE = Path(__file__).parent


def sheet() -> str:
    """The style sheet in the present colours, for a finished window. Set on the application, it would make Qt style
    all children of a widget anew whenever the widget gets another parent, which doubles the time to build a
    panel.
    """
    ending = "-light.svg" if p.is_dark() else ".svg"
    pictures = {name.upper(): (_HERE / f"{name}{ending}").as_posix() for name in ("down", "check")}
    return Template((_HERE / "desk.qss").read_text("utf-8")).substitute(vars(p), **pictures)


def wants_dark(look: str, application: QApplication) -> bool:
    """Whether the dark look should be used.

    Parameters
    ----------
    look : str
        See ``Settings``.
    """
    if look == "as the desktop":
        return application.styleHints().colorScheme() == Qt.ColorScheme.Dark
    return look == "dark"


def dress(application: QApplication, *, dark: bool = False) -> None:
    """Set the font and the colours of one of the two looks for the ``sheet`` of a window. Call it again to change
    them.
    """
    p.use(dark=dark)
    if "Inter" not in QFontDatabase.families():
        fonts = resources.files("deft_slab.desk.look") / "fonts"
        for weight in ("Regular", "Medium", "SemiBold"):
            QFontDatabase.addApplicationFontFromData((fonts / f"Inter-{weight}.otf").read_bytes())
    font = QFont("Inter")
    font.setPixelSize(12)
    font.setFeature(QFont.Tag("tnum"), 1)
    application.setFont(font)
    application.setStyle("Fusion")
    application.setPalette(_palette())


def _palette() -> QPalette:
    """Colours for what the style sheet leaves to the style: Qt's own dialogs, and the marks in check boxes."""
    roles = QPalette.ColorRole
    found = QPalette()
    for role, colour in (
        (roles.Window, p.PAPER), (roles.WindowText, p.INK), (roles.Base, p.SHEET), (roles.AlternateBase, p.PAPER),
        (roles.Text, p.INK), (roles.Button, p.SHEET), (roles.ButtonText, p.INK), (roles.ToolTipBase, p.SHEET),
        (roles.ToolTipText, p.INK), (roles.PlaceholderText, p.FAINT), (roles.Highlight, p.MADDER),
        (roles.HighlightedText, p.SHEET), (roles.Link, p.TEAL), (roles.Accent, p.MADDER),
    ):
        found.setColor(role, QColor(colour))
    for role in (roles.WindowText, roles.Text, roles.ButtonText):
        found.setColor(QPalette.ColorGroup.Disabled, role, QColor(p.OFF))
    return found
