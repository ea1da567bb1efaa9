"""Letters as bodies, made from the outlines of the typeface that ships with the program."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

import manifold3d
import numpy as np

from ..arrays import Floats

FONT = Path(__file__).resolve().parents[2] / "desk" / "look" / "fonts" / "Inter-SemiBold.otf"
_BEND = np.linspace(0.0, 1.0, 9)[1:, None]
"""Shares of a curve at which it is drawn."""


@cache
def _font() -> tuple[Any, dict[int, str], float, float]:
    """The typeface: its glyphs, their names by character, the height of a capital and the size of the em, in font
    units.
    """
    from fontTools.ttLib import TTFont

    font = TTFont(FONT)
    return font.getGlyphSet(), font.getBestCmap(), float(font["OS/2"].sCapHeight), float(font["head"].unitsPerEm)


def outlines(text: str, height: float) -> tuple[list[Floats], float]:
    """The closed outlines of a text that stands on y = 0 and begins at x = 0. Holes run the other way round.
    Characters that the typeface lacks are left out.

    Parameters
    ----------
    height : float, mm
        The height of a capital.

    Returns
    -------
    list of (k, 2) float64, float
        The outlines and the width of the text, in mm.
    """
    from fontTools.pens.recordingPen import DecomposingRecordingPen

    glyphs, names, capital, _ = _font()
    scale, found, along = height / capital, list[Floats](), 0.0
    for letter in text:
        name = names.get(ord(letter))
        if name is None:
            continue
        pen = DecomposingRecordingPen(glyphs)
        glyphs[name].draw(pen)
        found += [scale * (ring + [along, 0.0]) for ring in _rings(pen.value)]
        along += float(glyphs[name].width)
    return found, scale * along


def _rings(drawn: list[tuple[str, tuple[tuple[float, float], ...]]]) -> list[Floats]:
    """The closed outlines that a pen has drawn, with curves as short straight segments (cubic ones by Bernstein's
    formula).
    """
    found: list[Floats] = []
    points: list[Floats] = []
    for what, given in drawn:
        to = [np.array(one, float) for one in given]
        if what == "moveTo":
            points = [to[0][None]]
        elif what == "lineTo":
            points.append(to[0][None])
        elif what == "curveTo":
            a, (b, c, d) = points[-1][-1], to
            t = _BEND
            points.append((1 - t) ** 3 * a + 3 * t * (1 - t) ** 2 * b + 3 * t**2 * (1 - t) * c + t**3 * d)
        elif what in ("closePath", "endPath") and points:
            found.append(np.concatenate(points))
    return found


def letters(text: str, height: float, thick: float) -> tuple[manifold3d.Manifold, float]:
    """A text as a body that begins at z = 0.

    Parameters
    ----------
    height : float, mm
        The height of a capital.
    thick : float, mm
        The thickness of the body.

    Returns
    -------
    Manifold, float
        The body, and the width of the text in mm.
    """
    rings, width = outlines(text, height)
    section = manifold3d.CrossSection(rings, manifold3d.FillRule.NonZero)
    return manifold3d.Manifold.extrude(section, thick), width


def arrowhead(towards: Floats, height: float, depth: float) -> manifold3d.Manifold:
    """A slim triangle about (0, 0) that points in a direction.

    Parameters
    ----------
    towards : (2,) float64
    height : float, mm
        From its base to its tip.
    depth : float, mm
        Its thickness along z, from 0 on.
    """
    length = float(np.linalg.norm(towards))
    u = towards / length if length > 1e-6 else np.array([0.0, 1.0])
    v = np.array([-u[1], u[0]])
    corners = height * np.array([0.5 * u, -0.5 * u + 0.36 * v, -0.5 * u - 0.36 * v])
    return manifold3d.Manifold.extrude(manifold3d.CrossSection([corners]), depth)
