"""Fonts and the style sheet."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

from PySide6.QtGui import QFont, QFontDatabase
from PySide6.QtWidgets import QApplication

from . import palette as p

_DOWN = (Path(__file__).parent / "down.svg").as_posix()

SHEET = f"""
* {{ color: {p.INK}; }}
QMainWindow, QWidget#pane, QDialog {{ background: {p.PAPER}; }}
QWidget#strip {{ background: {p.PAPER}; border-bottom: 1px solid {p.HAIRLINE}; }}
QWidget#left {{ background: {p.PAPER}; border-right: 1px solid {p.HAIRLINE}; }}
QWidget#right {{ background: {p.PAPER}; border-left: 1px solid {p.HAIRLINE}; }}
QWidget#bottom {{ background: {p.PAPER}; border-top: 1px solid {p.HAIRLINE}; }}
QScrollArea {{ background: transparent; border: none; }}
QScrollArea > QWidget > QWidget {{ background: transparent; }}
QLabel[role="head"] {{ font-weight: 600; color: {p.FAINT}; font-size: 11px; }}
QLabel[role="title"] {{ font-weight: 600; font-size: 13px; }}
QLabel[role="faint"], QLabel[role="unit"] {{ color: {p.FAINT}; font-size: 11px; }}
QLabel[role="good"] {{ color: {p.TEAL}; font-size: 11px; }}
QLabel[role="look"] {{ color: {p.AMBER}; font-size: 11px; }}
QLabel[role="bad"] {{ color: {p.MADDER}; font-size: 11px; font-weight: 600; }}
QLabel[role="hint"] {{ background: {p.SHEET}; border: 1px solid {p.HAIRLINE}; border-radius: 4px; padding: 3px 8px;
  font-size: 11px; }}
QFileDialog QToolButton {{ padding: 2px; }}
QLabel[role="figure"] {{ font-weight: 500; }}
QFrame#seat, QFrame#chosen {{ border-radius: 4px; }}
QFrame#seat:hover {{ background: {p.SHEET}; }}
QFrame#chosen {{ background: {p.MADDER_WASH}; }}
QFrame#seat:focus, QFrame#chosen:focus {{ border: 1px solid {p.MADDER}; }}
QFrame[role="line"] {{ background: {p.HAIRLINE}; max-height: 1px; min-height: 1px; border: none; }}
QFrame[role="card"] {{ background: {p.SHEET}; border: 1px solid {p.HAIRLINE}; border-radius: 4px; }}
QPushButton, QToolButton {{ background: {p.SHEET}; border: 1px solid {p.HAIRLINE}; border-radius: 4px;
  padding: 4px 10px; min-height: 18px; }}
QPushButton:hover, QToolButton:hover {{ border-color: {p.FAINT}; }}
QPushButton:focus, QToolButton:focus {{ border-color: {p.INK}; }}
QLineEdit:focus, QComboBox:focus {{ border-color: {p.MADDER}; }}
QPushButton:checked, QToolButton:checked {{ border-color: {p.MADDER}; color: {p.MADDER};
  background: {p.MADDER_WASH}; }}
QPushButton:disabled, QToolButton:disabled {{ color: #B5AFA3; }}
QPushButton[role="main"] {{ border-color: {p.MADDER}; color: {p.MADDER}; font-weight: 500; }}
QPushButton[role="main"]:disabled {{ border-color: {p.HAIRLINE}; color: #B5AFA3; }}
QPushButton[role="link"] {{ border: none; background: transparent; text-decoration: underline; padding: 2px 0;
  text-align: left; }}
QPushButton[role="small"], QToolButton[role="small"] {{ padding: 2px 6px; font-size: 11px; min-height: 16px; }}
QToolButton[role="page"] {{ border: none; border-bottom: 2px solid transparent; border-radius: 0;
  background: transparent; padding: 4px 8px; color: {p.FAINT}; }}
QToolButton[role="page"]:hover {{ border-bottom: 2px solid {p.HAIRLINE}; }}
QToolButton[role="page"]:checked {{ border-bottom: 2px solid {p.MADDER}; color: {p.INK}; font-weight: 600;
  background: transparent; }}
QFrame[role="ask"] {{ background: {p.MADDER_WASH}; border: 1px solid {p.MADDER}; border-radius: 4px; }}
QToolButton[role="step"] {{ border: none; border-bottom: 2px solid transparent; border-radius: 0;
  background: transparent;
  padding: 0 12px; min-height: 40px; }}
QToolButton[role="step"]:hover {{ border-bottom: 2px solid {p.HAIRLINE}; }}
QToolButton[role="step"]:checked {{ border-bottom: 2px solid {p.MADDER}; color: {p.INK}; font-weight: 600;
  background: transparent; }}
QToolButton::menu-indicator {{ image: none; }}
QToolButton[role="chip"] {{ background: {p.SHEET}; border: 1px solid {p.HAIRLINE}; border-radius: 13px;
  padding: 3px 12px; }}
QListWidget {{ background: {p.SHEET}; border: 1px solid {p.HAIRLINE}; border-radius: 4px; outline: none; }}
QListWidget::item {{ padding: 5px 8px; }}
QListWidget::item:selected {{ background: {p.MADDER_WASH}; color: {p.INK}; }}
QLineEdit:disabled, QComboBox:disabled {{ color: {p.FAINT}; background: {p.PAPER}; }}
QLabel[role="chip"] {{ background: {p.SHEET}; border: 1px solid {p.HAIRLINE}; border-radius: 11px; padding: 3px 10px; }}
QLineEdit, QComboBox {{ background: {p.SHEET}; border: 1px solid {p.HAIRLINE}; border-radius: 4px; padding: 3px 6px;
  min-height: 18px; selection-background-color: {p.MADDER}; selection-color: {p.SHEET}; }}
QLineEdit[wrong="true"] {{ border-color: {p.AMBER}; background: #FDF3E3; }}
QComboBox QAbstractItemView {{ background: {p.SHEET}; selection-background-color: {p.MADDER_WASH};
  selection-color: {p.INK}; border: 1px solid {p.HAIRLINE}; }}
QComboBox::drop-down {{ border: none; width: 18px; }}
QComboBox::down-arrow {{ image: url({_DOWN}); width: 9px; height: 6px; }}
QMenu {{ background: {p.SHEET}; border: 1px solid {p.HAIRLINE}; padding: 4px; }}
QMenu::item {{ padding: 4px 24px 4px 12px; }}
QMenu::item:selected {{ background: {p.MADDER_WASH}; }}
QMenu::item:disabled {{ color: #B5AFA3; }}
QSlider::groove:horizontal {{ height: 3px; background: {p.HAIRLINE}; border-radius: 1px; }}
QSlider::handle:horizontal {{ width: 12px; height: 12px; margin: -6px 0; border-radius: 4px; background: {p.SHEET};
  border: 2px solid {p.INK}; }}
QSlider::handle:horizontal:focus {{ border-color: {p.MADDER}; }}
QProgressBar {{ background: {p.HAIRLINE}; border: none; border-radius: 2px; max-height: 4px; min-height: 4px; }}
QProgressBar::chunk {{ background: {p.MADDER}; border-radius: 2px; }}
QToolTip {{ background: {p.SHEET}; border: 1px solid {p.HAIRLINE}; color: {p.INK}; padding: 4px; }}
QTableView {{ background: {p.PAPER}; border: none; gridline-color: {p.HAIRLINE}; outline: none;
  selection-background-color: {p.MADDER_WASH}; selection-color: {p.INK}; }}
QHeaderView {{ background: {p.PAPER}; }}
QHeaderView::section {{ background: {p.PAPER}; border: none; border-bottom: 1px solid {p.HAIRLINE};
  padding: 4px 8px 4px 2px; color: {p.FAINT}; font-size: 11px; font-weight: 500; }}
QScrollBar:vertical {{ background: transparent; width: 8px; }}
QScrollBar::handle:vertical {{ background: {p.HAIRLINE}; border-radius: 4px; min-height: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ background: none; height: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: none; height: 0; }}
QCheckBox {{ spacing: 6px; font-size: 11px; color: {p.FAINT}; }}
QSplitter::handle {{ background: {p.HAIRLINE}; }}
QSplitter::handle:vertical {{ height: 1px; }}
"""


def dress(application: QApplication) -> None:
    """Loads the shipped font and the style sheet."""
    fonts = resources.files("deft_slab.desk.look") / "fonts"
    for weight in ("Regular", "Medium", "SemiBold"):
        QFontDatabase.addApplicationFontFromData((fonts / f"Inter-{weight}.otf").read_bytes())
    font = QFont("Inter")
    font.setPixelSize(12)
    font.setFeature(QFont.Tag("tnum"), 1)
    application.setFont(font)
    application.setStyle("Fusion")
    application.setStyleSheet(SHEET)
