"""How the bed is looked at: what is drawn of the plan, and where."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray

from ...core.inspection.findings import SectionFace
from ..messages.replies import Light


@dataclass(frozen=True, eq=False)
class View:
    """Attributes
    ----------
    in_place : bool
        The pieces where they belong on the prop, pulled apart by a share ``apart`` of its size.
    hidden : frozenset[int]
        Numbers of pieces, from 0 on, that are not drawn.
    hidden_below, hidden_above : float
        mm over the bed, below and above which nothing is.
    faces : tuple[SectionFace, ...]
        The filled sections of the pieces at that height.
    lights : tuple[Light | None, ...]
        The pieces with few triangles, which are drawn while the height moves.
    fitted : (pieces, 3)
        Model frame: which way, and how far, each is out of its place while they are put together, 1 before its
        move; None: pulled apart along their cuts.
    turned : (3, 4)
        Rotation and shift, model frame, of pieces that a moving joint has turned, by their numbers.
    as_it_came : bool
        The surface as it was opened.
    mend_places : (k, 2, 3), mm, model frame
        Marked on it; None for none.
    """

    in_place: bool = False
    apart: float = 0.35
    hidden: frozenset[int] = frozenset()
    hidden_below: float = 0.0
    hidden_above: float = math.inf
    faces: tuple[SectionFace, ...] = ()
    lights: tuple[Light | None, ...] = ()
    as_it_came: bool = False
    mend_places: NDArray[Any] | None = None
    from_below: bool = False
    fitted: NDArray[Any] | None = None
    turned: Mapping[int, NDArray[Any]] | None = None
    show_overhang: bool = True
    show_support: bool = True
