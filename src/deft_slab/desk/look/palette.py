"""All colours. Nothing is told by colour alone.

There are two looks, light and dark, in which each colour has the same meaning. Painting code reads a colour by its
name each time (``palette.INK``) and does not store it, because ``use`` replaces them all.
"""

from __future__ import annotations

import numpy as np

from ...core.arrays import Bytes, Floats, Floats32

PAPER = "#F5F1E8"
SHEET = "#FBF9F3"
GROUND = "#EDE8DC"
INK = "#243447"
FAINT = "#62666B"
HAIRLINE = "#D9D2C3"
EDGE = "#878174"
"""Around what can be pressed or typed into."""
MADDER = "#9B3B4A"
MADDER_WASH = "#FBF1EC"
TEAL = "#1C7270"
AMBER = "#935817"
STONE = "#C9C4B8"
SUPPORT = "#7A4E6D"
SECTION = "#D8A9A0"
PLUM = "#6B2D5C"
HIDDEN_SEAM = "#8C9096"
SCARS = (HIDDEN_SEAM, "#96707A", MADDER)
"""What support touches, as seams are drawn: grey where hidden, madder where in sight."""
PALE = "#FBF9F3"
"""What is mixed into the colour of a piece where it was cut."""
BED, BED_FINE, BED_COARSE = "#FFFFFF", "#E6E2D8", "#CFC8B8"
BAR = "#BDB29B"
"""A figure in the ledger that is not the best."""
OFF = "#8E887B"
"""Words on what cannot be pressed now."""
WRONG = "#FDF3E3"
"""Behind what was typed and is no number."""
ROOM = "#A9CBC6"
"""Where a join has enough wall around it."""
ON_RAMP = "#243447"
"""What is drawn on the colours of the ramp, which are the same in both looks."""
RAMP = ("#F0DFA6", "#C98A2E", "#6B2D5C")
"""Overhang, by the angle past the threshold: pale straw, ochre, plum."""


_LIGHT = {name: value for name, value in globals().items() if name.isupper() and name != "RAMP"}
_DARK: dict[str, str | tuple[str, ...]] = {
    "PAPER": "#1D242E", "SHEET": "#28313D", "GROUND": "#2F3A46", "INK": "#EAE4D7", "FAINT": "#A9ADB2",
    "HAIRLINE": "#3F4A57", "EDGE": "#808B97", "MADDER": "#E58C99", "MADDER_WASH": "#3C2D36", "TEAL": "#62C2BC",
    "AMBER": "#E3A65A",
    "STONE": "#AFA99C", "SUPPORT": "#A97BA2", "SECTION": "#B9857C", "PLUM": "#C08BB6", "HIDDEN_SEAM": "#A2A7AD",
    "SCARS": ("#A2A7AD", "#B98B95", "#E58C99"), "BED": "#3A4552", "BED_FINE": "#475361", "BED_COARSE": "#5A6776",
    "BAR": "#6F6A5E", "OFF": "#7C838B", "WRONG": "#4A3A22", "ROOM": "#2F6B67", "PALE": "#FBF9F3",
    "ON_RAMP": "#243447",
}


def use(*, dark: bool) -> None:
    """Switch to the colours of one of the two looks."""
    globals().update(_DARK if dark else _LIGHT)


def is_dark() -> bool:
    return _DARK["PAPER"] == PAPER


def rgb(colour: str) -> Floats:
    """A colour as (3,) values from 0 to 255."""
    return np.array([int(colour[k : k + 2], 16) for k in (1, 3, 5)], float)


def colour(name: str) -> tuple[float, float, float]:
    """A colour as three values from 0 to 255."""
    red, green, blue = rgb(name)
    return float(red), float(green), float(blue)


_SHADES = 256


def ramp_colours(past_threshold: Floats32, base: str, ramp: tuple[str, str, str], most: float = 45.0) -> Bytes:
    """The colour of each facet (m, 3): the ramp where support is needed, the base colour elsewhere.

    Parameters
    ----------
    past_threshold : (m,) float32, degrees
        Degrees past the threshold; -1 where no support is needed.
    most : float, degrees
        Degrees at the end of the ramp.
    """
    stops = np.stack([rgb(colour) for colour in ramp])
    shades = np.linspace(0.0, 1.0, _SHADES)
    table = np.stack([np.interp(shades, [0.0, 0.45, 1.0], stops[:, k]) for k in range(3)], axis=1)
    table = np.round(np.concatenate([rgb(base)[None], table])).astype(np.uint8)
    share = np.clip(past_threshold * np.float32((_SHADES - 1) / most), 0.0, _SHADES - 1)
    return np.asarray(table[np.where(past_threshold >= 0, np.round(share) + 1, 0).astype(np.intp)])
