"""How the bed is viewed: what of the plan is drawn, and where."""

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
    """What is drawn, and where.

    Attributes
    ----------
    in_place : bool
        Whether the pieces are drawn where they belong on the prop, pulled apart by a share ``apart`` of its size.
    hidden : frozenset[int]
        The numbers of hidden pieces, from 0 on.
    hidden_below, hidden_above : float
        Heights over the bed, in mm, below and above which nothing is drawn.
    faces : tuple[SectionFace, ...]
        The filled sections of the pieces at that height.
    lights : tuple[Light | None, ...]
        The simplified pieces, which are drawn while the height moves.
    as_it_came : bool
        Whether the surface is drawn as it was opened.
    mend_places : (k, 2, 3), mm, model frame, or None
        Places marked on it.
    fitted : (pieces, 3), model frame, or None
        The displacement of each piece while they are put together, 1 before its move; None: pulled apart along
        their cuts.
    turned : dict of int to (3, 4)
        Rotation and shift, in the model frame, of pieces that a moving joint has turned.
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
