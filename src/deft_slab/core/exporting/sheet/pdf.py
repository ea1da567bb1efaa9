"""A sheet for paper: a PDF in A4 or letter size."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from functools import cache
from html import escape
from pathlib import Path
from typing import Any

from ..paper_sizes import Paper
from .blocks import Block, Card, Cards, DrawingRow, Figure, Heading, Points, SheetTable, Words

_FONTS = Path(__file__).with_name("fonts")
"""Made by ``share/made.py``."""
_MM = 72.0 / 25.4
"""Points to a mm."""
_MARGIN = 18.0 * _MM
_GAP = 4.0 * _MM
_BELOW_A_HEADING = 85.0 * _MM
"""Room that there must be under a heading: of a card, with its own."""
_BOX = "□"
_GREY, _LINE = "#555555", "#999999"
_UNKNOWN = "?"
"""In place of what the typeface has no glyph for; the HTML has it."""


def as_pdf(blocks: Sequence[Block], title: str, paper: Paper = "a4") -> bytes:
    """The whole file. The same blocks give the same bytes."""
    from reportlab import rl_config
    from reportlab.lib.pagesizes import A4, LETTER
    from reportlab.platypus import BaseDocTemplate, Frame, PageTemplate

    rl_config.useA85 = 0  # drawings as text would be a quarter larger, and take most of the time
    maker = _Maker()
    size = A4 if paper == "a4" else LETTER
    wide, high = size[0] - 2 * _MARGIN, size[1] - 2 * _MARGIN
    out = io.BytesIO()

    def foot(canvas: Any, document: Any) -> None:
        canvas.setFont(maker.plain, 8)
        canvas.setFillColor(_GREY)
        canvas.drawString(_MARGIN, _MARGIN / 2, maker.known(title))
        canvas.drawRightString(size[0] - _MARGIN, _MARGIN / 2, f"{document.page}")

    document = BaseDocTemplate(
        out, pagesize=size, title=title, author="", creator="Deft Slab", producer="Deft Slab", invariant=1,
        pageTemplates=[PageTemplate(frames=[Frame(_MARGIN, _MARGIN, wide, high, 0, 0, 0, 0)], onPage=foot)],
    )
    document.build([part for block in blocks for part in maker.flowables(block, wide)])
    return out.getvalue()


@cache
def _typefaces() -> tuple[str, str, frozenset[str]]:
    """The names of the regular and the bold typeface in the library, and the characters that both have."""
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    plain, strong = (TTFont(f"sheet {weight}", str(_FONTS / f"{weight}.ttf")) for weight in ("plain", "strong"))
    for font in (plain, strong):
        pdfmetrics.registerFont(font)
    both = plain.face.charToGlyph.keys() & strong.face.charToGlyph.keys()
    return plain.fontName, strong.fontName, frozenset(map(chr, both))


class _Maker:
    """Makes the parts that the library lays out on pages, in two weights of the program's typeface."""

    def __init__(self) -> None:
        from reportlab.lib.styles import ParagraphStyle

        self.plain, self.bold, self._has = _typefaces()

        def style(size: float, font: str = self.plain, **more: Any) -> Any:
            return ParagraphStyle("", fontName=font, fontSize=size, leading=1.35 * size, **more)

        self._styles = {
            1: style(20, self.bold, spaceAfter=4), 2: style(13, self.bold, spaceBefore=14, spaceAfter=6),
            "words": style(9.5, spaceAfter=4), "faint": style(8, textColor=_GREY, spaceAfter=4),
            "cell": style(8.5), "right": style(8.5, alignment=2), "strong": style(8.5, self.bold),
            "strong right": style(8.5, self.bold, alignment=2), "head": style(8, textColor=_GREY),
            "head right": style(8, textColor=_GREY, alignment=2), "title": style(9.5, self.bold, spaceAfter=3),
            "under": style(8, textColor=_GREY, alignment=1),
            "point": style(9, leftIndent=12, spaceAfter=2, bulletFontName=self.plain),
            "ticked": style(9, leftIndent=14, spaceAfter=3, bulletFontName=self.plain, bulletFontSize=10),
        }

    def known(self, words: str) -> str:
        """The words, limited to characters of the typeface."""
        return "".join(one if one in self._has or one.isspace() else _UNKNOWN for one in words)

    def _said(self, words: str, style: object) -> Any:
        from reportlab.platypus import Paragraph

        return Paragraph(escape(self.known(words)), self._styles[style])

    def flowables(self, block: Block, wide: float) -> Iterator[Any]:
        """The parts of a block.

        Parameters
        ----------
        wide : float
            The width that is available, in points.
        """
        from reportlab.platypus import CondPageBreak, Paragraph

        match block:
            case Heading(words, level):
                yield CondPageBreak(_BELOW_A_HEADING)
                yield self._said(words, level)
            case Words(words, faint):
                yield self._said(words, "faint" if faint else "words")
            case Points(words, boxes):
                for one in words:
                    style = self._styles["ticked" if boxes else "point"]
                    yield Paragraph(escape(self.known(one)), style, bulletText=_BOX if boxes else "•")
            case SheetTable():
                yield self._table(block, wide)
            case DrawingRow(figures, high):
                yield self._side_by_side(figures, wide, high * _MM)
            case Cards():
                yield from self._cards(block, wide)

    def _table(self, table: SheetTable, wide: float) -> Any:
        from reportlab.platypus import Table as Grid

        def cells(row: tuple[str, ...], style: str, right: str) -> list[Any]:
            return [self._said(one, right if k in table.right else style) for k, one in enumerate(row)]

        rows = [cells(table.head, "head", "head right")]
        for n, row in enumerate(table.rows):
            strong = n in table.strong
            rows.append(cells(row, "strong" if strong else "cell", "strong right" if strong else "right"))
        total = sum(table.widths)
        grid = Grid(rows, [wide * share / total for share in table.widths], repeatRows=1, spaceAfter=6)
        grid.setStyle([("LINEBELOW", (0, 0), (-1, -1), 0.4, _LINE), ("TOPPADDING", (0, 0), (-1, -1), 2),
                       ("BOTTOMPADDING", (0, 0), (-1, -1), 3), ("LEFTPADDING", (0, 0), (-1, -1), 2),
                       ("RIGHTPADDING", (0, 0), (-1, -1), 4), ("VALIGN", (0, 0), (-1, -1), "TOP")])
        return grid

    def _picture(self, figure: Figure, wide: float, high: float) -> list[Any]:
        from reportlab.platypus import Image

        aspect = figure.drawing.aspect
        width = min(wide, high * aspect)
        picture = Image(io.BytesIO(figure.drawing.png), width, width / aspect)
        return [picture, self._said(figure.words, "under")] if figure.words else [picture]

    def _side_by_side(self, figures: Sequence[Figure], wide: float, high: float) -> Any:
        from reportlab.platypus import Table as Grid

        each = wide / len(figures)
        grid = Grid([[self._picture(one, each - _GAP, high) for one in figures]], [each] * len(figures))
        grid.setStyle([("ALIGN", (0, 0), (-1, -1), "CENTER"), ("VALIGN", (0, 0), (-1, -1), "BOTTOM"),
                       ("LEFTPADDING", (0, 0), (-1, -1), 0), ("RIGHTPADDING", (0, 0), (-1, -1), 0)])
        return grid

    def _cards(self, cards: Cards, wide: float) -> Iterator[Any]:
        """A row of cards at a time. A row stays together."""
        from reportlab.platypus import Table as Grid

        each = wide / cards.across
        for start in range(0, len(cards.cards), cards.across):
            own = cards.cards[start : start + cards.across]
            row: list[Any] = [self._card(card, each - 2 * _GAP) for card in own]
            row += [""] * (cards.across - len(own))
            grid = Grid([row], [each] * cards.across, splitByRow=0, spaceAfter=_GAP)
            frames = [("BOX", (k, 0), (k, 0), 0.5, _LINE) for k in range(len(own))]
            grid.setStyle([*frames, ("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), _GAP),
                           ("RIGHTPADDING", (0, 0), (-1, -1), _GAP)])
            yield grid

    def _card(self, card: Card, wide: float) -> Any:
        from reportlab.platypus import Table as Grid

        said = [self._said(card.title, "title"), *(self._said(one, "cell") for one in card.words)]
        if not card.figures:
            return said
        if card.beside:
            drawn = 0.4 * wide
            inside = Grid([[self._picture(card.figures[0], drawn - _GAP, card.high * _MM), said]],
                          [drawn, wide - drawn])
            inside.setStyle([("VALIGN", (0, 0), (-1, -1), "MIDDLE"), ("LEFTPADDING", (0, 0), (-1, -1), 0)])
            return inside
        return [said[0], self._side_by_side(card.figures, wide, card.high * _MM), *said[1:]]
