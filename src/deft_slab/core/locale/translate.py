"""Texts in the user's language. The English text in the source is the key of the catalogue.

The catalogues are those of GNU gettext and lie under ``texts``; ``share/texts.py`` collects the texts that are marked
here and compiles the catalogues. Values are named in braces and formatted as by ``str.format``, with the user's
decimal sign.
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
    """A text in the user's language, with its values filled in."""
    found = catalogue().gettext(english) if english else ""
    return _WRITER.vformat(found, (), values) if values else found


def tr_in(context: str, english: str, /, **values: object) -> str:
    """A text in the user's language, where one English text has several meanings.

    Parameters
    ----------
    context : str
        Which of the meanings is meant, for the translator.
    """
    found = catalogue().pgettext(context, english)
    return _WRITER.vformat(found, (), values) if values else found


def tr_many(one: str, many: str, n: int, /, **values: object) -> str:
    """A text that differs between one thing and several; ``{n}`` in it is the count."""
    return _WRITER.vformat(catalogue().ngettext(one, many, n), (), {"n": n, **values})


def term(english: str, /) -> str:
    """Mark a text for translation without translating it yet, because it also serves as a key."""
    return english


def sentence(words: str) -> str:
    """A text with its first letter capitalised and the rest unchanged."""
    return words[:1].upper() + words[1:]
