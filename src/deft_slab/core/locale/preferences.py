"""The user's language, number format and unit of length.

They are decided once, when a process starts, from environment variables: LANGUAGE, LC_ALL, LC_MESSAGES and LANG, as
in other programs, and two of our own, which the window sets from its settings. Child processes inherit them.
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
    """The translations for the user's language; none for English."""
    return gettext.translation(DOMAIN, TEXTS, fallback=True)


@cache
def language() -> str:
    """The code of the language that texts appear in, such as "de"; "en" if there is no translation for the user's
    language.
    """
    return catalogue().info().get("language", "en")


def spoken() -> tuple[str, str, tuple[str, str]]:
    """The language, the unit of length and the number format: everything that the wording of texts depends on.

    Returns
    -------
    (str, str, (str, str))
        Language code, unit, and (decimal sign, thousands separator).
    """
    return language(), "in" if inches() else "mm", separators()


def languages() -> list[str]:
    """The codes of all languages that the program is translated into, English first."""
    return ["en", *sorted(path.name for path in TEXTS.iterdir() if (path / "LC_MESSAGES").is_dir())]


@cache
def inches() -> bool:
    """Whether lengths are shown in inches rather than millimetres."""
    return os.environ.get(UNITS) == "in"


@cache
def separators() -> tuple[str, str]:
    """The decimal sign and the thousands separator."""
    written = WRITTEN.get(os.environ.get(NUMBERS, ""))
    return written or _of_system()


def _of_system() -> tuple[str, str]:
    """The decimal sign and the thousands separator of the system's locale. The locale is set only while it is asked,
    and reset at once, because libraries expect numbers to be written with a point.
    """
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
    """A number in Python's notation, rewritten with the user's signs."""
    decimal, thousands = separators()
    if (decimal, thousands) == (".", ","):
        return number
    return number.translate({ord("."): decimal, ord(","): thousands})


def forget() -> None:
    """Forget what was decided, so that changed environment variables are taken into account."""
    for known in (catalogue, language, inches, separators):
        known.cache_clear()
