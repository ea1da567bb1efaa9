"""What is told of joins, contacts and putting pieces together. Plain data, able to travel between processes."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from ..arrays import Bools, Floats, Ints32


@dataclass(frozen=True)
class Turn:
    """How a moving joint turns.

    Attributes
    ----------
    place : (3,)
        mm and axis : (3,) unit, model frame.
    low, high : float, degrees
        That the second piece turns about it by the right hand.
    """

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

    Attributes
    ----------
    join : str
        Its id.
    contact : int
        Its number.
    turn : Turn
        See there.
    pieces : tuple[int, ...]
        Numbers, from 0 on, of those that turn with its second piece.
    held_by : int
        The number of a contact by which they hang on its first piece too, so that nothing turns, else None.
    angles : degrees
    overlaps : mm3
        Of what turns within what stays, at each.
    free : degrees
        The widest range around 0 without any.
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
    """Where the seams of three or more contacts come together.

    Attributes
    ----------
    place : (3,), mm, model frame
    contacts : tuple[int, ...]
        Their numbers.
    likely, worst : float, mm
        That what meets there may be off, for independent errors and at worst.
    """

    place: tuple[float, float, float]
    contacts: tuple[int, ...]
    likely: float
    worst: float


@dataclass(frozen=True, eq=False)
class JoinReport:
    """What became of a join.

    Attributes
    ----------
    contact : int
        The number of the contact that it is on.
    problem : str
        Why it was not made, empty where it was.
    place : mm, model frame
        Where it is.
    moved : float, mm
        Across from where it was wished.
    clearance : float
        mm per side.
    least_wall : float, mm
        The thinnest around it.
    added, removed, loose : float, mm3
        To one piece, from both, and printed apart.
    warnings : tuple[str, ...]
        What may go wrong with it.
    breaks : bool
        It would go through the surface.
    meets : str
        The id of the join that it would meet.
    outline : (k, 3) float64, mm, model frame
        Closed, on the face.
    holds : bool
        It keeps the pieces from sliding.
    turn : Turn | None
        How it moves, where it does.
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

    Attributes
    ----------
    pieces : tuple[int, int]
        Numbers of the first and the second, from 0 on.
    cut, between : str
        Whose faces, and the sides of it.
    place, way_in : (3,)
        mm and unit vector, model frame; the second piece goes on to the first along it.
    frame : (3, 3) float64
        Rows: two directions across, and the way out.
    area : float, mm2
        To glue.
    flat : bool
        In one plane across the way in.
    free : bool
        It does not catch on its way in.
    outline : (k, 3)
        mm for each closed line of its edge.
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

    Attributes
    ----------
    pieces : tuple[int, ...]
        Numbers, from 0 on, of those that move as one.
    onto : tuple[int, ...]
        Of those that stay.
    along : tuple[float, float, float]
        Unit vector, model frame.
    contacts : tuple[int, ...]
        Numbers of those that it closes.
    free : float, mm
        That it can be drawn out until it meets something, inf where it never does.
    meets : tuple[int, int] | None
        The pair of pieces that meet, None where the whole way is free.
    """

    pieces: tuple[int, ...]
    onto: tuple[int, ...]
    along: tuple[float, float, float]
    contacts: tuple[int, ...]
    free: float
    meets: tuple[int, int] | None = None


@dataclass(frozen=True)
class DryFit:
    """Putting the pieces together.

    Attributes
    ----------
    moves : tuple[DryMove, ...]
        First to last.
    turns : tuple[TurnChecked, ...]
        Of the joints that move.
    meetings : tuple[MeetingPoint, ...]
        Where seams meet, worst first.
    """

    moves: tuple[DryMove, ...]
    turns: tuple[TurnChecked, ...] = ()
    meetings: tuple[MeetingPoint, ...] = ()


@dataclass(frozen=True)
class VentReport:
    """What became of a vent.

    Attributes
    ----------
    reaches : bool
        Whether it opens a void.
    problem : str
        Why it was not made, empty where it was.
    length : float, mm
        Of wall that it goes through; exposure : of the surface there, 0 to 1; -1 where that was not asked for.
    gap : float, mm
        Least between its plug and its hole, inf without one.
    """

    id: str
    reaches: bool
    problem: str = ""
    length: float = 0.0
    void: int = -1
    gap: float = math.inf


@dataclass(frozen=True)
class HollowReport:
    """What became of a hollow.

    Attributes
    ----------
    piece : int
        The number of the piece, from 0 on, None where it is on none.
    problem : str
        Why nothing was made, else empty.
    voids : mm3
        Of each, largest first, without the lattice.
    removed : float, mm3
        That the piece has less.
    added : float
        Of plugs.
    least_wall : float, mm
        The least that was left around the voids, by distance.
    vents : tuple[VentReport, ...]
        Of each.
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

    Attributes
    ----------
    piece : int
        Its number, from 0 on, None where it is no longer there.
    ids : (k,)
        Of the posts.
    lands : (k,)
        "bed", "piece", "nowhere" or "off", where the surface that it touched is gone.
    lengths, walls : (k,) float64, mm
        Of the stem, and of the piece behind the tip.
    show : (k,) bool
        Whether it marks a show face.
    leans : (k,) bool
    as_asked : (k,) bool
        Whether it stands where its foot was put.
    holds : (k,) float64, mm2
        Past the threshold that are nearest to it.
    contact : (k, 3) float64, mm, model frame
    braces : int
        How many.
    volume : float, mm3
    area, on_show : float, mm2
        That tips touch.
    vertices, triangles : mm, model frame
        What is drawn of them.
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
    """Attributes
    ----------
    diameter : float, mm
    off : float, mm
        The most by which a corner is off the circle.
    corners : (k, 3) float64
        Along the edge, mm.
    """

    diameter: float
    off: float
    corners: Floats
