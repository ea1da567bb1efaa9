"""Makes the program's typeface in the form that PDF files embed, with quadratic outlines. To make it in each process
took two and a half seconds of the first sheet.
"""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

_OFF = 1.0
"""Units of an em by which a quadratic outline may be off the cubic one, of 2048 or 2816 of them."""


_LETTERS = (
    (0x20, 0x250), (0x370, 0x530), (0x1E00, 0x1F00), (0x2010, 0x2044), (0x20A0, 0x20C0), (0x2190, 0x2194),
    (0x2212, 0x2213), (0x2248, 0x2249), (0x2264, 0x2266), (0x25A0, 0x25CC),
)
"""First, and after the last: Latin, Greek and Cyrillic letters, and the signs that sheets are written with."""


def truetype(path: Path) -> bytes:
    """The letters of an OpenType font with cubic outlines that sheets are written with, as a TrueType font."""
    from fontTools import subset
    from fontTools.pens.cu2quPen import Cu2QuPen
    from fontTools.pens.ttGlyphPen import TTGlyphPen
    from fontTools.ttLib import TTFont, newTable

    font: Any = TTFont(path)
    known = font.getBestCmap()
    has = [chr(code) for first, after in _LETTERS for code in range(first, after) if code in known]
    for table in ("GSUB", "GPOS", "GDEF", "DSIG"):  # of no use in a PDF, and most of what subsetting would take
        if table in font:
            del font[table]
    options = subset.Options(layout_features=[], name_IDs=[1, 2, 4, 6], notdef_outline=True, hinting=False)
    chosen = subset.Subsetter(options)
    chosen.populate(text="".join(has))
    chosen.subset(font)
    glyphs, made = font.getGlyphSet(), {}
    for name in font.getGlyphOrder():
        pen = TTGlyphPen(glyphs)
        glyphs[name].draw(Cu2QuPen(pen, _OFF, reverse_direction=True))
        made[name] = pen.glyph()
    font["loca"], font["glyf"] = newTable("loca"), newTable("glyf")
    font["glyf"].glyphOrder, font["glyf"].glyphs = font.getGlyphOrder(), made
    for table in ("CFF ", "VORG"):
        if table in font:
            del font[table]
    most = font["maxp"]
    most.tableVersion = 0x00010000
    for field in ("maxZones", "maxTwilightPoints", "maxStorage", "maxFunctionDefs", "maxInstructionDefs",
                  "maxStackElements", "maxSizeOfInstructions", "maxComponentElements"):
        setattr(most, field, 1 if field == "maxZones" else 0)
    names = font["post"]
    names.formatType, names.extraNames, names.mapping = 2.0, [], {}
    names.glyphOrder = font.getGlyphOrder()
    font.sfntVersion = "\000\001\000\000"
    font["head"].modified = font["head"].created  # so that it has the same bytes each time
    font.recalcTimestamp = False
    out = io.BytesIO()
    font.save(out)
    return out.getvalue()
