"""What a sheet is made of, before it is laid out: the same for paper and for the screen."""

from __future__ import annotations

from dataclasses import dataclass

from .drawing import Drawing


@dataclass(frozen=True)
class Heading:
    """Attributes
    ----------
    level : int
        1 of the sheet, 2 of a part.
    """

    words: str
    level: int = 2


@dataclass(frozen=True)
class Words:
    """A paragraph.

    Attributes
    ----------
    faint : bool
        Smaller, as a remark.
    """

    words: str
    faint: bool = False


@dataclass(frozen=True)
class Points:
    """Sentences below each other.

    Attributes
    ----------
    boxes : bool
        With a box to be ticked.
    """

    words: tuple[str, ...]
    boxes: bool = False


@dataclass(frozen=True)
class SheetTable:
    """Attributes
    ----------
    head : tuple[str, ...]
        Of each column.
    widths : tuple[float, ...]
        Their shares.
    right : frozenset[int]
        Columns of figures.
    strong : frozenset[int]
        Rows that stand out.
    """

    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    widths: tuple[float, ...]
    right: frozenset[int] = frozenset()
    strong: frozenset[int] = frozenset()


@dataclass(frozen=True, eq=False)
class Figure:
    """A drawing with words under it."""

    drawing: Drawing
    words: str = ""


@dataclass(frozen=True, eq=False)
class DrawingRow:
    """Drawings side by side, each at most so many mm high, and no wider than its share of the page."""

    figures: tuple[Figure, ...]
    high: float


@dataclass(frozen=True, eq=False)
class Card:
    """Drawings and words that stay together.

    Attributes
    ----------
    title : str
        In front of the words.
    beside : bool
        The words stand to the right of the drawings, and not under them.
    high : float, mm
        Of the drawings.
    """

    title: str
    figures: tuple[Figure, ...]
    words: tuple[str, ...]
    high: float
    beside: bool = False


@dataclass(frozen=True, eq=False)
class Cards:
    """So many side by side."""

    cards: tuple[Card, ...]
    across: int


Block = Heading | Words | Points | SheetTable | DrawingRow | Cards
