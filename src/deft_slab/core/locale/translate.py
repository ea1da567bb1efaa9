"""Texts for a person, in their language. What stands in the source is English, and the key of the catalogue.

Catalogues are GNU gettext's, under ``texts``; ``share/texts.py`` collects what is marked here and compiles them. Values
are named in braces and formatted as by ``str.format``, with the decimal sign of the user.
"""

from __future__ import annotations

import string
from typing import Any

from .preferences import catalogue, written


class _Writer(string.Formatter):
    def format_field(self, value: Any, format_spec: str) -> str:
        made = str(format(value, format_spec))
        counted = isinstance(value, float) or bool(format_spec) and not isinstance(value, str)
        return written(made) if counted else made


_WRITER = _Writer()


def tr(english: str, /, **values: object) -> str:
    """The text in the language of the user, with the values in their places."""
    found = catalogue().gettext(english) if english else ""
    return _WRITER.vformat(found, (), values) if values else found


def tr_in(context: str, english: str, /, **values: object) -> str:
    """The same, where one English text means several things.

    Parameters
    ----------
    context : str
        Which of them, for whoever translates.
    """
    found = catalogue().pgettext(context, english)
    return _WRITER.vformat(found, (), values) if values else found


def tr_many(one: str, many: str, n: int, /, **values: object) -> str:
    """A text that has another form for one thing than for several; {n} is how many there are."""
    return _WRITER.vformat(catalogue().ngettext(one, many, n), (), {"n": n, **values})


def term(english: str, /) -> str:
    """Marks a text that is translated where it is shown, for it is also the key of something."""
    return english


def sentence(words: str) -> str:
    """Words with the first letter large, the others as they are."""
    return words[:1].upper() + words[1:]
