"""Tables as CSV (RFC 4180) that are safe to open in a spreadsheet."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence

from ..locale.text import harmless

_BEGINS_A_FORMULA = ("=", "+", "-", "@")


def as_csv(rows: Iterable[Sequence[object]]) -> str:
    """Rows as CSV, one per line. Texts that a spreadsheet would take for a formula are prefixed with an apostrophe."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerows([_cell(value) for value in row] for row in rows)
    return out.getvalue()


def _cell(value: object) -> object:
    if not isinstance(value, str):
        return value
    said = harmless(value)
    return f"'{said}" if said.startswith(_BEGINS_A_FORMULA) and not _is_number(said) else said


def _is_number(said: str) -> bool:
    try:
        float(said)
    except ValueError:
        return False
    return True
