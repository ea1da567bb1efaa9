"""Line drawings of pieces for printing in black and white: outlines, creases, light shading, and hatched cut faces.

They are drawn from a column field along the view direction, so that any process can make them.
"""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cache
from typing import Any

import numpy as np
import shapely

from ...arrays import AnyInts, Bools, Bytes, Floats, Floats32, Ints, Ints32
from ...figures.column_field import column_field
from ...geometry.lettering import FONT
from ...geometry.orientation import Tilt
from .drawing_kernels import DOTTED, HATCHED, painted

_FINER = 2
"""Pixels that are drawn across for one that is kept."""
_COARSE = 4
"""Of those, between which it is looked where numbers go."""
_CREASE = math.cos(math.radians(32.0))
"""Facets that meet more sharply have a line between them."""
_JUMP = 0.012
"""Share of what is seen, from which a step in depth has a line."""
_HATCH, _DOTS = 7, 5
"""Kept pixels between the lines of a hatching, and between dots."""
_LIGHT = np.array([-0.35, 0.55, 0.75]) / np.linalg.norm([-0.35, 0.55, 0.75])
_LEAST_SEEN = 6.0
"""Pixels from the middle of what is seen of a piece to its edge, for its number to be put there."""


@dataclass(frozen=True, eq=False)
class DrawnBody:
    """A body to draw.

    Attributes
    ----------
    vertices : (n, 3) float64, mm
        In the frame that the view refers to.
    triangles : (m, 3) int
    number : str
        The label; empty: none.
    hatched, dotted : (m,) bool
        Facets with a pattern: cut faces, and what lies on the bed.
    """

    vertices: Floats
    triangles: AnyInts
    number: str = ""
    hatched: Bools = field(default_factory=lambda: np.empty(0, np.bool_))
    dotted: Bools = field(default_factory=lambda: np.empty(0, np.bool_))


@dataclass(frozen=True, eq=False)
class Drawing:
    """A drawing.

    Attributes
    ----------
    pixels : (height, width) uint8
        255 where there is nothing.
    png : bytes
        The same as a file.
    """

    pixels: Bytes
    png: bytes

    @property
    def aspect(self) -> float:
        """The ratio of width to height."""
        height, width = self.pixels.shape
        return float(width / height)


def view_from(turn: float, rise: float) -> Floats:
    """The rotation (3, 3) into the frame of a view.

    Parameters
    ----------
    turn : float, degrees
        About the vertical, from the front to the right.
    rise : float
        How far the eye is raised; below 0 it looks from below.
    """
    return np.asarray(Tilt.turn((1, 0, 0), rise - 90.0).after(Tilt.turn((0, 0, 1), -turn)).rotation)


def drawn(
    bodies: Sequence[DrawnBody], view: Floats, width: int, height: int,
    arrows: Sequence[tuple[Floats, Floats]] = (),
) -> Drawing:
    """A drawing that is no larger than the given number of pixels, cropped to its contents.

    Parameters
    ----------
    view : (3, 3) float64
        See ``view_from``.
    arrows : (from, to)
        The ends (3,) of each arrow in mm, in the frame of the bodies.
    """
    corners = np.concatenate([body.vertices for body in bodies]) @ view.T
    starts = np.cumsum([0, *(len(body.vertices) for body in bodies)])
    triangles = np.concatenate([body.triangles + start for body, start in zip(bodies, starts, strict=False)])
    low, high = corners[:, :2].min(axis=0), corners[:, :2].max(axis=0)
    ends = np.array([point for arrow in arrows for point in arrow]).reshape(-1, 3) @ view.T
    size = np.maximum(high - low, 1e-9)
    scale = float(min((width - 4) / size[0], (height - 4) / size[1]))
    cells = max(int(float(size.max()) * scale * _FINER), 2)
    columns = column_field(np.ascontiguousarray(corners), triangles.astype(np.int32), cells)
    facet, depth = columns.topmost
    grey = _painted(bodies, corners, triangles, facet, depth, float(np.linalg.norm(size)))
    rows, across = (side + -side % _FINER + 3 * _FINER for side in grey.shape)  # white around it, in whole pixels
    sheet = np.full((rows, across), 255.0)
    sheet[_FINER : _FINER + grey.shape[0], _FINER : _FINER + grey.shape[1]] = grey[::-1]
    small = sheet.reshape(rows // _FINER, _FINER, across // _FINER, _FINER).mean(axis=(1, 3))

    def seen(points: Floats) -> Floats:
        """Points of the view's frame in pixels (k, 2) of the final picture, from the upper left."""
        across = (points[:, 0] - columns.x0) / columns.cell
        up = (points[:, 1] - columns.y0) / columns.cell
        return np.stack([across + _FINER, grey.shape[0] - up + _FINER], axis=1) / _FINER

    coarse = facet[::-_COARSE, ::_COARSE]
    of_body = np.where(coarse >= 0, _owners(bodies)[coarse], -1)
    labels = [(body.number, _middle(of_body == n)) for n, body in enumerate(bodies) if body.number]
    marks = [(number, at) for number, at in labels if at is not None]
    return _as_drawing(_written(np.round(small).astype(np.uint8), marks, seen(ends).reshape(-1, 2, 2)))


def _owners(bodies: Sequence[DrawnBody]) -> Ints:
    """For every facet of all bodies, the number of its body."""
    return np.repeat(np.arange(len(bodies)), [len(body.triangles) for body in bodies])


def _painted(
    bodies: Sequence[DrawnBody], corners: Floats, triangles: AnyInts, facet: Ints32, depth: Floats,
    across: float,
) -> Floats32:
    """The shade (ny, nx) of each cell, from 0 (black) to 255 (white)."""
    a, b, c = (corners[triangles[:, k]] for k in range(3))
    normals = np.cross(b - a, c - a)
    normals /= np.maximum(np.linalg.norm(normals, axis=1), 1e-12)[:, None]
    shades = 200.0 + 52.0 * np.clip(normals @ _LIGHT, 0.0, 1.0)
    pattern, start = np.zeros(len(triangles), np.uint8), 0
    for body in bodies:
        own = pattern[start : start + len(body.triangles)]
        own[body.hatched if len(body.hatched) else slice(0)] = HATCHED
        own[body.dotted if len(body.dotted) else slice(0)] = DOTTED
        start += len(own)
    ink: Floats32 = painted(
        facet, depth, normals, shades, _owners(bodies), pattern, _CREASE, _JUMP * across, _FINER,
        _HATCH * _FINER, _DOTS * _FINER,
    )
    return ink


def _middle(mine: Bools) -> tuple[float, float] | None:
    """The pixel that is farthest from the edge of what is visible; None where too little is visible."""
    from scipy.ndimage import distance_transform_edt

    if not mine.any():
        return None
    inside = distance_transform_edt(np.pad(mine, 1))[1:-1, 1:-1]
    row, column = divmod(int(inside.argmax()), mine.shape[1])
    kept = _COARSE / _FINER
    return None if kept * inside[row, column] < _LEAST_SEEN else (kept * column + 1.0, kept * row + 1.0)


def _written(pixels: Bytes, marks: Sequence[tuple[str, tuple[float, float]]], arrows: Floats) -> Any:
    """The picture with arrows and with numbers in circles, on a white ground."""
    from PIL import Image, ImageDraw

    size = max(11, round(max(pixels.shape) / 26))
    ends = np.concatenate([arrows.reshape(-1, 2), np.array([at for _, at in marks]).reshape(-1, 2)])
    reach = size if len(ends) else 0
    low = np.minimum(ends.min(axis=0, initial=0.0) - reach, 0.0)
    high = np.maximum(ends.max(axis=0, initial=0.0) + reach, [pixels.shape[1], pixels.shape[0]])
    left, above = (int(-value) for value in np.floor(low))
    image = Image.new("L", (int(high[0]) + left, int(high[1]) + above), 255)
    image.paste(Image.fromarray(pixels), (left, above))
    draw, font = ImageDraw.Draw(image), _font(size)
    for start, end in arrows + [left, above]:
        _arrow(draw, start, end, size)
    for number, (x, y) in marks:
        x, y = x + left, y + above
        half = size * (0.62 + 0.3 * (len(number) - 1))
        draw.rounded_rectangle((x - half, y - 0.75 * size, x + half, y + 0.75 * size), 0.75 * size, 255, 20, 1)
        draw.text((x, y), number, 0, font, "mm")
    return image


def _arrow(draw: Any, start: Floats, end: Floats, size: int) -> None:
    along = end - start
    length = float(np.linalg.norm(along))
    if length < 2.0:
        return
    along, head = along / length, min(1.1 * size, 0.6 * length)
    across = np.array([-along[1], along[0]])
    neck = end - head * along
    draw.line([*start, *neck], 255, max(size // 2, 3))
    draw.line([*start, *neck], 0, max(size // 5, 2))
    points = [end, neck + 0.45 * head * across, neck - 0.45 * head * across]
    draw.polygon([tuple(point) for point in points], 0)


@cache
def _font(size: int) -> Any:
    from PIL import ImageFont

    return ImageFont.truetype(str(FONT), size)


def plan_of(
    width: float, depth: float, outlines: Sequence[tuple[str, shapely.MultiPolygon]],
    kept_free: Sequence[tuple[float, float, float, float]], across: int, high: int,
) -> Drawing:
    """A bed from above.

    Parameters
    ----------
    width, depth : float, mm
    outlines : (number, footprint), mm
        The label and the footprint of each piece, in mm.
    kept_free : (x, y, width, depth), mm
        Areas to keep free.
    across, high : int, pixels
        The largest width and height.
    """
    from PIL import Image, ImageDraw

    scale = min((across - 2) / width, (high - 2) / depth)
    size = (int(width * scale) + 2, int(depth * scale) + 2)
    image = Image.new("L", size, 255)
    draw = ImageDraw.Draw(image)

    def seen(points: Floats) -> list[tuple[float, float]]:
        return [(1 + scale * x, size[1] - 2 - scale * y) for x, y in points]

    for x, y, w, d in kept_free:
        draw.polygon(seen(np.array([[x, y], [x + w, y], [x + w, y + d], [x, y + d]])), 225, 160)
    draw.rectangle((0, 0, size[0] - 1, size[1] - 1), outline=20, width=2)
    text = max(12, round(min(size) / 24))
    for _, outline in outlines:
        for part in outline.geoms:
            draw.polygon(seen(np.asarray(part.exterior.coords)), 235, 20, 2)
            for ring in part.interiors:
                draw.polygon(seen(np.asarray(ring.coords)), 255, 20, 2)
    for number, outline in outlines:
        middle = max(outline.geoms, key=lambda part: part.area).representative_point()
        draw.text(seen(np.array([[middle.x, middle.y]]))[0], number, 0, _font(text), "mm")
    return _as_drawing(image)


def _as_drawing(image: Any) -> Drawing:
    out = io.BytesIO()
    image.save(out, "PNG")
    return Drawing(np.asarray(image), out.getvalue())
