"""What is told of joins, contacts and putting pieces together. Plain data, able to travel between processes."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class JoinReport:
    """What became of a join.

    contact : the number of the contact that it is on; problem : why it was not made, empty where it was
    place : mm, model frame, where it is; moved : mm across from where it was wished; clearance : mm per side
    least_wall : mm, the thinnest around it; added, removed, loose : mm3, to one piece, from both, and printed apart
    warnings : what may go wrong with it; breaks : it would go through the surface; meets : the id of the join that it
    would meet; outline : (k, 3) mm, model frame, closed, on the face
    holds : it keeps the pieces from sliding
    """

    contact: int | None
    problem: str = ""
    place: tuple[float, float, float] = (0.0, 0.0, 0.0)
    moved: float = 0.0
    clearance: float = 0.0
    least_wall: float = math.inf
    added: float = 0.0
    removed: float = 0.0
    loose: float = 0.0
    warnings: tuple[str, ...] = ()
    breaks: bool = False
    meets: str = ""
    outline: Floats = field(default_factory=lambda: np.empty((0, 3)))
    holds: bool = True


@dataclass(frozen=True, eq=False)
class ContactFound:
    """Where two pieces meet, as far as it is shown.

    pieces : numbers of the first and the second, from 0 on; cut, between : whose faces, and the sides of it
    place, way_in : (3,) mm and unit vector, model frame; the second piece goes on to the first along it
    frame : (3, 3) rows: two directions across, and the way out
    area : mm2 to glue; flat : in one plane across the way in; free : it does not catch on its way in
    outline : (k, 3) mm for each closed line of its edge
    """

    pieces: tuple[int, int]
    cut: str
    between: tuple[int, int]
    place: tuple[float, float, float]
    way_in: tuple[float, float, float]
    area: float
    flat: bool
    free: bool
    frame: Floats = field(default_factory=lambda: np.eye(3))
    outline: tuple[Floats, ...] = ()


@dataclass(frozen=True)
class DryMove:
    """One step of putting pieces together.

    pieces : numbers, from 0 on, of those that move as one; onto : of those that stay; along : unit vector, model frame
    contacts : numbers of those that it closes; free : mm that it can be drawn out until it meets something, inf where
    it never does; meets : the pair of pieces that meet, None where the whole way is free
    """

    pieces: tuple[int, ...]
    onto: tuple[int, ...]
    along: tuple[float, float, float]
    contacts: tuple[int, ...]
    free: float
    meets: tuple[int, int] | None = None
