"""A sheet for the screen: a single HTML file that contains its drawings."""

from __future__ import annotations

import base64
import html
from collections.abc import Sequence

from ...locale.preferences import language
from ...locale.text import harmless
from .blocks import Block, Card, Cards, DrawingRow, Figure, Heading, Points, SheetTable, Words

_STYLE = """
body { font: 15px/1.45 Inter, "DejaVu Sans", sans-serif; color: #1b1b1b; max-width: 62rem;
  margin: 2rem auto; padding: 0 1rem }
h1 { margin-bottom: 0.2rem } h2 { margin-top: 2.2rem; border-bottom: 1px solid #888 } p { margin: 0.4rem 0 }
.faint { color: #555; font-size: 0.9em } figure { margin: 0; text-align: center } figcaption { color: #555 }
.figures, .cards { display: flex; flex-wrap: wrap; gap: 1.2rem; margin: 0.8rem 0 }
.figures figure { flex: 1 } img { max-width: 100%; background: #fff }
.card { border: 1px solid #bbb; padding: 0.7rem; box-sizing: border-box; break-inside: avoid }
.card.beside { display: flex; gap: 1rem; align-items: center } .card h3 { margin: 0 0 0.3rem }
.drawings { display: flex; gap: 0.6rem; justify-content: center }
table { border-collapse: collapse; width: 100% } th, td { text-align: left; padding: 0.2rem 0.5rem;
  border-bottom: 1px solid #ccc }
th { font-weight: 600; color: #555 } .right { text-align: right } .strong { font-weight: 600 }
ul.boxes { list-style: "☐  " }
"""


def escape(words: str) -> str:
    """Escape words from any source for a page, so that they cannot act as mark-up or change the direction of what
    follows.
    """
    return html.escape(harmless(words))


def as_html(blocks: Sequence[Block], title: str) -> bytes:
    """The whole file, in UTF-8."""
    body = "\n".join(_block(block) for block in blocks)
    return (
        f'<!DOCTYPE html>\n<html lang="{language()}">\n<head>\n<meta charset="utf-8">\n<title>{escape(title)}</title>\n'
        f"<style>{_STYLE}</style>\n</head>\n<body>\n{body}\n</body>\n</html>\n"
    ).encode()


def _block(block: Block) -> str:
    match block:
        case Heading(words, level):
            return f"<h{level}>{escape(words)}</h{level}>"
        case Words(words, faint):
            return _tag("p", "faint" if faint else "", escape(words))
        case Points(words, boxes):
            items = "".join(f"<li>{escape(one)}</li>" for one in words)
            return _tag("ul", "boxes" if boxes else "", items)
        case SheetTable():
            return _table(block)
        case DrawingRow(figures, _):
            return f'<div class="figures">{"".join(_figure(one) for one in figures)}</div>'
        case Cards(cards, across):
            return f'<div class="cards">{"".join(_card(one, across) for one in cards)}</div>'


def _tag(tag: str, name: str, inside: str) -> str:
    """An element.

    Parameters
    ----------
    name : str
        Its class; empty: none.
    """
    return f'<{tag} class="{name}">{inside}</{tag}>' if name else f"<{tag}>{inside}</{tag}>"


def _table(table: SheetTable) -> str:
    def cells(words: tuple[str, ...], tag: str) -> str:
        return "".join(_tag(tag, "right" if k in table.right else "", escape(one)) for k, one in enumerate(words))

    rows = "".join(
        _tag("tr", "strong" if n in table.strong else "", cells(row, "td")) for n, row in enumerate(table.rows)
    )
    return f"<table><thead><tr>{cells(table.head, 'th')}</tr></thead><tbody>{rows}</tbody></table>"


def _figure(figure: Figure) -> str:
    data = base64.b64encode(figure.drawing.png).decode()
    said = f"<figcaption>{escape(figure.words)}</figcaption>" if figure.words else ""
    return f'<figure><img alt="{escape(figure.words)}" src="data:image/png;base64,{data}">{said}</figure>'


def _card(card: Card, across: int) -> str:
    wide = f"calc({100 / across:g}% - {1.2 * (across - 1) / across:g}rem)"
    drawings = f'<div class="drawings">{"".join(_figure(one) for one in card.figures)}</div>' if card.figures else ""
    words = "".join(f"<p>{escape(one)}</p>" for one in card.words)
    kind = "card beside" if card.beside else "card"
    if card.beside:
        inside = f"{drawings}<div><h3>{escape(card.title)}</h3>{words}</div>"
    else:
        inside = f"<h3>{escape(card.title)}</h3>{drawings}{words}"
    return f'<div class="{kind}" style="width:{wide}">{inside}</div>'
