"""Measures a piece in its seat, and matches the settings of the plan to its pieces."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from ..arrays import Floats, Floats32, Ints32
from ..figures.marked_facets import Marked
from ..figures.overhang_regions import overhang_spots
from ..figures.piece_figures import REPORT_CELLS, Exposing, measure, support
from ..figures.support_skin import support_skin
from ..geometry.orientation import Tilt
from ..mesh.solid import Solid
from ..parting.bodies import Part
from ..plan.piece_matching import nearest_alike
from ..plan.piece_settings import PieceSettings
from ..plan.plan import Plan
from ..printers.profile import Printer
from ..results.outcome import Figures, OverhangSpot

Detail = Literal["quick", "figures", "exact", "whole"]

SUBJECT_TRIANGLES = 12_000
"""Size of the simplified mesh that a search looks at. (On a grid of 128 cells its support volume is within 0.3 % of the
whole mesh's in the median, 1.9 % at worst; 20,000 are no surer than 0.2 % and 1.4 %.)"""

DRAG_CELLS = 64
SKIN_CELLS = 144


@dataclass(frozen=True, eq=False)
class SearchSubject:
    """A piece whose seat is searched: the whole of it and its draft mesh, in mm, model frame.

    Attributes
    ----------
    marks, light_marks : Marked
        The marks on the facets of each.
    threshold : float, degrees
    lift : float, mm
        How high it is lifted.
    stood : (3, 3) float64
        The rotation of the standing model.
    now : Tilt
        The present seat of the piece.
    """

    solid: Solid
    light: Solid
    marks: Marked
    light_marks: Marked
    threshold: float
    lift: float
    stood: Floats
    now: Tilt


@dataclass(frozen=True, eq=False)
class PieceMeasurement:
    """The figures of a piece in its seat, and what is drawn of its support; see ``Piece``."""

    figures: Figures
    past: Floats32
    skin: tuple[Floats, Ints32]
    spots: tuple[OverhangSpot, ...]
    layers: Floats


def measured(
    solid: Solid, tilt: Tilt, threshold: float, printer: Printer, marks: Marked, lift: float, exposed: Exposing | None,
    detail: Detail,
) -> PieceMeasurement:
    """Measure a piece in a seat.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    cells = DRAG_CELLS if detail == "quick" else REPORT_CELLS
    found = measure(
        solid, tilt.rotation, threshold=threshold, printer=printer, marks=marks, lift=lift, exposed=exposed,
        cells=cells, trusted=detail not in ("exact", "whole") and solid.made_closed,
    )
    if detail != "whole":
        nothing = (np.empty((0, 3)), np.empty((0, 3), np.int32))
        return PieceMeasurement(found.figures, found.past_threshold, nothing, (), found.layers)
    spots = overhang_spots(solid, found, marks.show)
    coarse, columns = support(solid, found.seated, None, None, SKIN_CELLS)
    skin = support_skin(columns, coarse.floors)
    return PieceMeasurement(found.figures, found.past_threshold, skin, spots, found.layers)


def matched(wishes: tuple[PieceSettings, ...], parts: list[Part]) -> dict[int, PieceSettings]:
    """Match settings to parts: each belongs to the nearest part on the same sides, and a part takes the nearest of
    several.

    Returns
    -------
    dict of int to PieceSettings
        The settings, by the number of the part.
    """
    found: dict[int, tuple[float, PieceSettings]] = {}
    for wish in wishes:
        number = nearest_alike(wish, parts)
        if number is not None:
            distance = math.dist(wish.anchor, parts[number].anchor)
            if number not in found or distance < found[number][0]:
                found[number] = (distance, wish)
    return {number: wish for number, (_, wish) in found.items()}


def lift_of(plan: Plan, wish: PieceSettings | None) -> float:
    """The lift of a piece in mm: its own if it has one, else that of the plan."""
    return wish.lift if wish is not None and wish.lift is not None else plan.lift
