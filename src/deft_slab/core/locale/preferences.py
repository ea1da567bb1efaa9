"""How a person writes: which language, which signs in a number, millimetres or inches.

All of it is decided once, when a process starts, by variables of its environment: LANGUAGE, LC_ALL, LC_MESSAGES and
LANG as everywhere, and two of our own, which the window sets from its settings. Other processes of the program inherit
them.
"""

from __future__ import annotations

import gettext
import locale
import os
from functools import cache
from pathlib import Path

DOMAIN = "deft-slab"
TEXTS = Path(__file__).parents[2] / "texts"
"""Where the catalogues are, by language, as GNU gettext lays them out."""

SHOWN_IN = ("mm", "in")

UNITS = "DEFT_SLAB_UNITS"
"""The variable that says in what lengths are shown: one of ``SHOWN_IN``."""

NUMBERS = "DEFT_SLAB_NUMBERS"
"""The variable that says how numbers are written: one of ``WRITTEN``; else as the locale has them."""

WRITTEN = {"1,234.5": (".", ","), "1.234,5": (",", "."), "1 234,5": (",", "\u202f")}
"""Decimal sign and what stands between thousands, by an example."""

_PLAIN = ("C", "POSIX")
_OF_LANGUAGE = {"de": WRITTEN["1.234,5"]}
"""Signs where the system says nothing of numbers, or has not the locale that it names (Unicode CLDR 44)."""

MM_IN_AN_INCH = 25.4


@cache
def catalogue() -> gettext.NullTranslations:
    """The texts in the language of the user; English where there are none."""
    return gettext.translation(DOMAIN, TEXTS, fallback=True)


@cache
def language() -> str:
    """The code of the language that texts are in, as "de"; "en" where there is no catalogue."""
    return catalogue().info().get("language", "en")


def spoken() -> tuple[str, str, tuple[str, str]]:
    """(language, unit of lengths, signs of numbers), by which all that is written for people depends on the user."""
    return language(), "in" if inches() else "mm", separators()


def languages() -> list[str]:
    """The codes of all languages that there are texts in, English first."""
    return ["en", *sorted(path.name for path in TEXTS.iterdir() if (path / "LC_MESSAGES").is_dir())]


@cache
def inches() -> bool:
    """Whether lengths are shown in inches instead of millimetres."""
    return os.environ.get(UNITS) == "in"


@cache
def separators() -> tuple[str, str]:
    """(decimal sign, what stands between thousands)"""
    written = WRITTEN.get(os.environ.get(NUMBERS, ""))
    return written or _of_system()


def _of_system() -> tuple[str, str]:
    """As the locale of numbers has them. It is asked for and put back at once: libraries read numbers with a point."""
    named = next((name for name in map(os.environ.get, ("LC_ALL", "LC_NUMERIC", "LANG")) if name), "C")
    code = named.split(".")[0].split("@")[0]
    if code not in _PLAIN:
        try:
            before = locale.setlocale(locale.LC_NUMERIC)
            locale.setlocale(locale.LC_NUMERIC, named)
        except locale.Error:  # it is not installed
            return _OF_LANGUAGE.get(code.split("_")[0], (".", ","))
        found = locale.localeconv()
        locale.setlocale(locale.LC_NUMERIC, before)
        return str(found["decimal_point"]), str(found["thousands_sep"])
    return _OF_LANGUAGE.get(language(), (".", ","))


def written(number: str) -> str:
    """A number as Python writes it, with the signs of the user."""
    decimal, thousands = separators()
    if (decimal, thousands) == (".", ","):
        return number
    return number.translate({ord("."): decimal, ord(","): thousands})


def forget() -> None:
    """Lets the environment be looked at anew, as after a setting was read."""
    for known in (catalogue, language, inches, separators):
        known.cache_clear()
