"""Colours, once. Nothing is told by colour alone."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

PAPER = "#F5F1E8"
SHEET = "#FBF9F3"
GROUND = "#EDE8DC"
INK = "#243447"
FAINT = "#6E7276"
HAIRLINE = "#D9D2C3"
MADDER = "#9B3B4A"
MADDER_WASH = "#FBF1EC"
TEAL = "#1F7A78"
AMBER = "#A8651B"
STONE = "#C9C4B8"
SUPPORT = "#7A4E6D"
SECTION = "#D8A9A0"
PLUM = "#6B2D5C"
HIDDEN_SEAM = "#8C9096"
SCARS = (HIDDEN_SEAM, "#96707A", MADDER)
"""What support touches, as seams are drawn: grey where hidden, madder where in sight."""
RAMP = ("#F0DFA6", "#C98A2E", "#6B2D5C")
"""Overhang, by the angle past the threshold: pale straw, ochre, plum."""


def rgb(colour: str) -> NDArray[np.float64]:
    """(3,) 0 to 255."""
    return np.array([int(colour[k : k + 2], 16) for k in (1, 3, 5)], float)


def colour(name: str) -> tuple[float, float, float]:
    """0 to 255 each."""
    red, green, blue = rgb(name)
    return float(red), float(green), float(blue)


def ramp_colours(
    past_threshold: NDArray[np.float32], base: NDArray[np.float64], ramp: tuple[str, str, str], most: float = 45.0
) -> NDArray[np.float64]:
    """(m, 3) 0 to 255: the ramp where support is needed, the base colour elsewhere.

    past_threshold : (m,) degrees past the threshold, -1 where none is needed; most : degrees at the ramp's end
    """
    stops = np.stack([rgb(colour) for colour in ramp])
    share = np.clip(past_threshold / most, 0.0, 1.0)
    mixed = np.stack([np.interp(share, [0.0, 0.45, 1.0], stops[:, k]) for k in range(3)], axis=1)
    return np.where((past_threshold >= 0)[:, None], mixed, base)
