"""The colours of pieces, on the screen and in files with colour."""

from __future__ import annotations

PIECES = ("#9FB4BA", "#CDB892", "#B79AA8", "#9DB08A", "#C79A7E", "#8E9CC0", "#B8B3A4", "#7FA59C")
"""Eight muted hues of different lightness, so that they stay apart for colour-blind eyes."""


def colour_of(number: int) -> tuple[int, int, int]:
    """The colour of a piece as RGB from 0 to 255, given its number from 1 on."""
    return rgb_of(PIECES[(number - 1) % len(PIECES)])


def rgb_of(name: str) -> tuple[int, int, int]:
    """RGB from 0 to 255 for a colour written as "#rrggbb"."""
    red, green, blue = (int(name[k : k + 2], 16) for k in (1, 3, 5))
    return red, green, blue
