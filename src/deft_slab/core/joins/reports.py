"""What is told of joins, contacts and putting pieces together. Plain data, able to travel between processes."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from ..arrays import Bools, Floats, Ints32


@dataclass(frozen=True)
class Turn:
    """How a moving joint turns. place : (3,) mm and axis : (3,) unit, model frame; low, high : degrees that the second
    piece turns about it by the right hand"""

    place: tuple[float, float, float]
    axis: tuple[float, float, float]
    low: float
    high: float

    def at(self, degrees: float) -> Floats:
        """(3, 4) rotation and shift, mm, of what has turned by an angle (Rodrigues' formula)."""
        x, y, z = self.axis
        angle = math.radians(degrees)
        cross = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
        rotation = np.eye(3) + math.sin(angle) * cross + (1 - math.cos(angle)) * cross @ cross
        place = np.array(self.place)
        return np.hstack([rotation, (place - rotation @ place)[:, None]])


@dataclass(frozen=True)
class TurnChecked:
    """A moving joint, turned through its range and beyond.

    join : its id; contact : its number; turn : see there; pieces : numbers, from 0 on, of those that turn with its
    second piece; held_by : the number of a contact by which they hang on its first piece too, so that nothing turns,
    else None
    angles : degrees; overlaps : mm3 of what turns within what stays, at each; free : degrees, the widest range around 0
    without any
    """

    join: str
    contact: int
    turn: Turn
    pieces: tuple[int, ...]
    held_by: int | None = None
    angles: tuple[float, ...] = ()
    overlaps: tuple[float, ...] = ()
    free: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class MeetingPoint:
    """Where the seams of three or more contacts come together. place : (3,) mm, model frame; contacts : their numbers
    likely, worst : mm that what meets there may be off, for independent errors and at worst"""

    place: tuple[float, float, float]
    contacts: tuple[int, ...]
    likely: float
    worst: float


@dataclass(frozen=True, eq=False)
class JoinReport:
    """What became of a join.

    contact : the number of the contact that it is on; problem : why it was not made, empty where it was
    place : mm, model frame, where it is; moved : mm across from where it was wished; clearance : mm per side
    least_wall : mm, the thinnest around it; added, removed, loose : mm3, to one piece, from both, and printed apart
    warnings : what may go wrong with it; breaks : it would go through the surface; meets : the id of the join that it
    would meet; outline : (k, 3) mm, model frame, closed, on the face
    holds : it keeps the pieces from sliding; turn : how it moves, where it does
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
    turn: Turn | None = None


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


@dataclass(frozen=True)
class DryFit:
    """Putting the pieces together. moves : first to last; turns : of the joints that move; meetings : where seams meet,
    worst first"""

    moves: tuple[DryMove, ...]
    turns: tuple[TurnChecked, ...] = ()
    meetings: tuple[MeetingPoint, ...] = ()


@dataclass(frozen=True)
class VentReport:
    """What became of a vent. reaches : whether it opens a void; problem : why it was not made, empty where it was
    length : mm of wall that it goes through; exposure : of the surface there, 0 to 1; -1 where that was not asked for
    gap : mm, least between its plug and its hole, inf without one"""

    id: str
    reaches: bool
    problem: str = ""
    length: float = 0.0
    void: int = -1
    gap: float = math.inf


@dataclass(frozen=True)
class HollowReport:
    """What became of a hollow.

    piece : the number of the piece, from 0 on, None where it is on none; problem : why nothing was made, else empty
    voids : mm3 of each, largest first, without the lattice; removed : mm3 that the piece has less; added : of plugs
    least_wall : mm, the least that was left around the voids, by distance; vents : of each
    """

    piece: int | None
    problem: str = ""
    voids: tuple[float, ...] = ()
    removed: float = 0.0
    added: float = 0.0
    least_wall: float = math.inf
    vents: tuple[VentReport, ...] = ()

    @property
    def unvented(self) -> int:
        """How many voids no vent opens."""
        open_ = {vent.void for vent in self.vents if vent.reaches}
        return sum(number not in open_ for number in range(len(self.voids)))


@dataclass(frozen=True, eq=False)
class PostsReport:
    """What became of the posts of a piece.

    piece : its number, from 0 on, None where it is no longer there; ids : (k,) of the posts; lands : (k,) "bed",
    "piece", "nowhere" or "off", where the surface that it touched is gone; lengths, walls : (k,) mm, of the stem, and
    of the piece behind the tip; show : (k,) whether it marks a show face; leans : (k,)
    as_asked : (k,) whether it stands where its foot was put; holds : (k,) mm2 past the threshold that are nearest to it
    contact : (k, 3) mm, model frame; braces : how many; volume : mm3; area, on_show : mm2 that tips touch
    vertices, triangles : mm, model frame, what is drawn of them
    """

    piece: int | None
    ids: tuple[str, ...] = ()
    lands: tuple[str, ...] = ()
    lengths: Floats = field(default_factory=lambda: np.empty(0))
    walls: Floats = field(default_factory=lambda: np.empty(0))
    show: Bools = field(default_factory=lambda: np.empty(0, np.bool_))
    leans: Bools = field(default_factory=lambda: np.empty(0, np.bool_))
    as_asked: Bools = field(default_factory=lambda: np.empty(0, np.bool_))
    holds: Floats = field(default_factory=lambda: np.empty(0))
    contact: Floats = field(default_factory=lambda: np.empty((0, 3)))
    braces: int = 0
    volume: float = 0.0
    area: float = 0.0
    on_show: float = 0.0
    vertices: Floats = field(default_factory=lambda: np.empty((0, 3)))
    triangles: Ints32 = field(default_factory=lambda: np.empty((0, 3), np.int32))

    @property
    def made(self) -> Bools:
        """(k,) which of them stand."""
        return np.array([land in ("bed", "piece") for land in self.lands], np.bool_)


@dataclass(frozen=True, eq=False)
class RoundEdge:
    """diameter : mm; off : mm, the most by which a corner is off the circle; corners : (k, 3) along the edge, mm"""

    diameter: float
    off: float
    corners: Floats
