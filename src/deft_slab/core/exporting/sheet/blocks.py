"""The contents of a sheet before layout: the same for paper and for the screen."""

from __future__ import annotations

from dataclasses import dataclass

from .drawing import Drawing


@dataclass(frozen=True)
class Heading:
    """A heading.

    Attributes
    ----------
    level : int
        1 for the sheet, 2 for a part.
    """

    words: str
    level: int = 2


@dataclass(frozen=True)
class Words:
    """A paragraph.

    Attributes
    ----------
    faint : bool
        Whether it is smaller, as a remark.
    """

    words: str
    faint: bool = False


@dataclass(frozen=True)
class Points:
    """Sentences below each other.

    Attributes
    ----------
    boxes : bool
        Whether each has a box to tick.
    """

    words: tuple[str, ...]
    boxes: bool = False


@dataclass(frozen=True)
class SheetTable:
    """A table.

    Attributes
    ----------
    head : tuple[str, ...]
        The titles of the columns.
    widths : tuple[float, ...]
        The relative widths of the columns.
    right : frozenset[int]
        Columns that are aligned to the right.
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
    """Drawings side by side, each with a maximum height in mm, and no wider than its share of the page."""

    figures: tuple[Figure, ...]
    high: float


@dataclass(frozen=True, eq=False)
class Card:
    """Drawings and words that stay together.

    Attributes
    ----------
    title : str
        In front of the words.
    high : float, mm
        The height of the drawings.
    beside : bool
        Whether the words are to the right of the drawings, and not below them.
    """

    title: str
    figures: tuple[Figure, ...]
    words: tuple[str, ...]
    high: float
    beside: bool = False


@dataclass(frozen=True, eq=False)
class Cards:
    """Cards, a given number side by side."""

    cards: tuple[Card, ...]
    across: int


Block = Heading | Words | Points | SheetTable | DrawingRow | Cards
