"""File names that every file system accepts."""

from __future__ import annotations

import re
import string

from ..errors import BadPlan
from ..formats import UNITLESS
from ..locale.translate import tr
from ..results.outcome import Piece

PATTERN = "{number}-{name}{times}{unit}"
"""How files of pieces are named, unless it is said otherwise."""
FIELDS = {
    "number": tr("of the piece"),
    "name": tr("of the piece"),
    "times": tr("“-print-3-times” where it is printed that often"),
    "copies": tr("how often it is printed"),
    "bed": tr("the bed on which it lies"),
    "unit": tr("“-mm” where the format has no unit"),
}
_LONGEST_NAME = 120
_RESERVED = {"con", "prn", "aux", "nul", *(f"com{n}" for n in range(1, 10)), *(f"lpt{n}" for n in range(1, 10))}
"""Names that some file systems refuse (from memory)."""


def named(pattern: str, piece: Piece, copies: int, bed: int, ending: str) -> str:
    """The file name of a piece without its ending.

    Parameters
    ----------
    pattern : str
        The pattern of the name; see ``FIELDS``.

    Raises
    ------
    BadPlan
        The pattern names an unknown field, or leaves nothing.
    """
    values = {
        "number": piece.number, "name": slug(piece.name), "copies": copies, "bed": bed + 1,
        "times": times_said(copies), "unit": unit_said(ending),
    }
    try:
        fields = [field for _, field, _, _ in string.Formatter().parse(pattern) if field is not None]
        unknown = next((field for field in fields if field not in values), None)
        made = "" if unknown is not None else pattern.format(**values)
    except (ValueError, KeyError, IndexError) as error:
        raise BadPlan(
            tr("The pattern “{pattern}” for file names cannot be used ({error}).", pattern=pattern, error=error)
        ) from error
    if unknown is not None:
        raise BadPlan(
            tr("Patterns for file names have no “{{{unknown}}}”.", unknown=unknown),
            remedy=tr("They can have {list}.", list=", ".join(FIELDS)),
        )
    made = re.sub(r"[^\w.+-]+", "-", made).strip("-. ")[:_LONGEST_NAME]
    if not made:
        raise BadPlan(tr("The pattern “{pattern}” gives an empty file name.", pattern=pattern))
    return f"{made}-piece" if made.lower().split(".")[0] in _RESERVED else made


def times_said(copies: int) -> str:
    """What a file name says about how often it must be printed."""
    return f"-print-{copies}-times" if copies > 1 else ""


def unit_said(ending: str) -> str:
    """What a file name says about the unit, if the format does not."""
    return "-mm" if ending in UNITLESS else ""


def slug(text: str) -> str:
    """A name in characters that every file system accepts."""
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-") or "piece"
