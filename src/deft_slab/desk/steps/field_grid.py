"""The measures of a cut or a join, as fields in a grid of two columns."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtWidgets import QGridLayout

from ..fields import Field
from ..widgets.basics import label
from ..widgets.number import NumberField

FieldsShown = list[tuple[Field, NumberField]]


def put_fields(
    grid: QGridLayout, fields: Sequence[Field], typed: Callable[[Field, float], None], width: int,
    decimals: Callable[[Field], int],
) -> FieldsShown:
    """Fill a grid with fields.

    Parameters
    ----------
    typed : Callable[[Field, float], None]
        Called with a field and its new value when the user has typed one.
    width : int
        The width of each field, in pixels.
    decimals : Callable[[Field], int]
        The number of decimals that a field shows.
    """
    found = []
    for n, field in enumerate(fields):
        shown = NumberField(field.unit, low=field.low, high=field.high, step=field.step, decimals=decimals(field))
        shown.setAccessibleName(field.name)
        shown.setToolTip(field.tip)
        shown.setFixedWidth(width)
        shown.committed.connect(partial(typed, field))
        grid.addWidget(label(field.name, "faint"), n // 2, 2 * (n % 2))
        grid.addWidget(shown, n // 2, 2 * (n % 2) + 1)
        found.append((field, shown))
    return found
