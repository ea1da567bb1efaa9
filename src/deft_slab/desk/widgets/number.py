"""A field for a number with a unit. It also accepts other units and sums: "4.5in", "120/2", "3cm + 2"."""

from __future__ import annotations

import ast
import math
import operator
import re

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QLineEdit, QWidget

from ...core.locale import text
from ...core.locale.preferences import inches
from ...core.locale.translate import tr
from .basics import restyle

_LENGTHS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, '"': 25.4, "ft": 304.8}
_POWERS = {"mm": ("", 1), "mm²": ("²", 2), "mm³": ("³", 3), "cm³": ("³", 3)}
"""How the unit of a length is written for an area and a volume, and its power."""
_OTHERS = {"°": {"°": 1.0, "deg": 1.0}, "%": {"%": 1.0}}
_OPERATIONS = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv,
}
_ROUND = {1: 20.0, 3: 500.0, 4: 10_000.0}
"""A round number near to what a unit in inches is worth, by its digits."""
_WITH_UNIT = "u"
"""Stands for the unit in a sum that is looked at."""
_QUANTITY = re.compile(
    r"(?P<number>\d+\.?\d*|\.\d+)\s*(?P<unit>ml|l|deg|\"|°|%|(?:mm|cm|ft|in|m)(?:[²³]|[23](?![\d.]))?)?"
)


def _factors(unit: str) -> dict[str, float]:
    """For each unit that can be typed, its size in the unit of the field."""
    if unit not in _POWERS:
        return _OTHERS.get(unit, {})
    mark, power = _POWERS[unit]
    own = _LENGTHS[unit.removesuffix(mark)]
    found = {name + mark: (mm / own) ** power for name, mm in _LENGTHS.items()}
    return found | {"ml": found["cm³"], "l": 1000 * found["cm³"]} if power == 3 else found


def _shown_in(unit: str) -> tuple[str, float]:
    """The unit in which the values of a field are shown, and its size in the unit of the field."""
    if unit not in _POWERS or not inches():
        return unit, 1.0
    shown = text.unit() + _POWERS[unit][0]
    return shown, _factors(unit)[shown]


def parse_quantity(typed: str, unit: str) -> float:
    """The value of a typed text, in ``unit``.

    A length, an area or a volume ("mm", "mm²", "mm³", "cm³") may be typed in any unit of its kind, with cm2 for cm².
    Without a unit it is in the one that the field shows. An angle is in "°". A quantity with another unit ("s",
    "g/cm³") is typed with that unit or with none.

    Raises
    ------
    ValueError
        The text is not a number, a number with a unit of the kind, or a sum of such numbers.
    """
    factors, (_, usual) = _factors(unit), _shown_in(unit)

    if _WITH_UNIT in typed:
        raise ValueError(tr("not a number"))
    if not factors:
        typed = typed.strip().removesuffix(unit)

    def plain(found: re.Match[str]) -> str:
        given = found["unit"]
        if given is not None and given[-1] in "23":
            given = given[:-1] + {"2": "²", "3": "³"}[given[-1]]
        if given is not None and given not in factors:
            raise ValueError(tr("“{given}” is not a unit for this", given=given))
        number = float(found["number"])
        return f"({number!r})" if given is None else f"({number * factors[given]!r} * {_WITH_UNIT})"

    source = _QUANTITY.sub(plain, typed.strip().replace(",", ".").replace("−", "-").replace("×", "*"))
    try:
        value = _Sum(usual).of(ast.parse(source, mode="eval").body)
    except (SyntaxError, ZeroDivisionError, RecursionError) as error:
        raise ValueError(tr("not a number")) from error
    if not abs(value) < 1e9:
        raise ValueError(tr("too large"))
    return value


class _Sum:
    """Evaluates a sum of numbers with and without units. ``usual`` is the size, in the unit of the field, of the
    unit that a number without one has.

    A factor or a divisor has no unit: 1/2 is half of the usual unit, and 3cm/2 is half of 3 cm.
    """

    def __init__(self, usual: float) -> None:
        self._usual = usual

    def of(self, node: ast.expr) -> float:
        return self._worth(*self._term(node))

    def _worth(self, value: float, with_unit: bool) -> float:
        return value if with_unit else value * self._usual

    def _term(self, node: ast.expr) -> tuple[float, bool]:
        """The value of a term, and whether it has a unit."""
        if isinstance(node, ast.Name) and node.id == _WITH_UNIT:
            return 1.0, True
        if isinstance(node, ast.Constant) and isinstance(node.value, (int, float)):
            return float(node.value), False
        if isinstance(node, ast.BinOp) and type(node.op) in _OPERATIONS:
            left, right = self._term(node.left), self._term(node.right)
            either = left[1] or right[1]
            if either and isinstance(node.op, (ast.Add, ast.Sub)):
                left, right = (self._worth(*left), True), (self._worth(*right), True)
            return float(_OPERATIONS[type(node.op)](left[0], right[0])), either
        if isinstance(node, ast.UnaryOp) and isinstance(node.op, (ast.USub, ast.UAdd)):
            value, with_unit = self._term(node.operand)
            return -value if isinstance(node.op, ast.USub) else value, with_unit
        raise ValueError(tr("not a number"))


class NumberField(QLineEdit):
    """Takes its value on Enter or when it loses the focus, if the text changed and is valid. Arrow keys step; Esc
    restores.
    """

    committed = Signal(float)

    def __init__(
        self, unit: str, *, low: float = -1e6, high: float = 1e6, step: float = 1.0, decimals: int = 1,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._unit, self._low, self._high, self._step, self._decimals = unit, low, high, step, decimals
        self._shown_unit, self._in = _shown_in(unit)
        if self._shown_unit != unit:
            # 1 mm is a twentieth of an inch, nearly: steps are round ones in what is shown, and as fine
            digits = round(math.log10(self._in))
            self._step, self._decimals = step * self._in / _ROUND[digits], decimals + digits
        self._value = 0.0
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setMinimumWidth(64)
        self.editingFinished.connect(self._commit)
        self.textEdited.connect(lambda _: self._mark(""))

    @classmethod
    def named(
        cls, unit: str, name: str, tip: str, *, low: float, high: float, step: float, decimals: int = 1,
        width: int = 80,
    ) -> NumberField:
        """A field of fixed width with a name for screen readers.

        Parameters
        ----------
        width : int, pixels
        """
        made = cls(unit, low=low, high=high, step=step, decimals=decimals)
        made.setAccessibleName(name)
        made.setToolTip(tip)
        made.setFixedWidth(width)
        return made

    @property
    def value(self) -> float:
        return self._value

    def set_value(self, value: float) -> None:
        """Show a value without emitting a signal. A text that is being typed is left alone."""
        if self.hasFocus() and self.isModified() and value == self._value:
            return
        self._value = value
        self._show()

    def _show(self) -> None:
        space = "" if self._unit in ("°", "") else " "
        self.setText(f"{text.number(self._value / self._in, self._decimals)}{space}{self._shown_unit}")
        self.setModified(False)
        self._mark("")

    def _mark(self, problem: str) -> None:
        if bool(self.property("wrong")) != bool(problem):
            self.setProperty("wrong", bool(problem))
            restyle(self)
        self.setAccessibleDescription(problem)

    def _commit(self) -> None:
        if not self.isModified():
            return
        try:
            value = parse_quantity(self.text(), self._unit)
        except ValueError as problem:
            self._mark(str(problem))
            return
        if not self._low <= value <= self._high:
            low, high = (text.plain(float(f"{bound / self._in:.6g}")) for bound in (self._low, self._high))
            end = f"{high} {self._shown_unit}".strip()
            self._mark(tr("between {low} and {high}", low=low, high=end))
            return
        self._take(value)

    def _take(self, value: float) -> None:
        changed = value != self._value
        self._value = value
        self._show()
        if changed:
            self.committed.emit(value)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_PageUp: 10, Qt.Key.Key_PageDown: -10}
        key = Qt.Key(event.key())
        if key in steps:
            moved = self._value + steps[key] * self._step
            self._take(min(max(moved, self._low), self._high))
        elif event.key() == Qt.Key.Key_Escape and self.isModified():
            self._show()
        else:
            super().keyPressEvent(event)
