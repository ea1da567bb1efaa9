"""Reports on joins, contacts and putting pieces together. Plain data, which can be sent between processes."""

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
    place : (x, y, z), mm, model frame
        A point on its axis.
    axis : (x, y, z), unit, model frame
        The axis.
    low, high : float, degrees
        How far the second piece turns about it, by the right-hand rule.
    """

    place: tuple[float, float, float]
    axis: tuple[float, float, float]
    low: float
    high: float

    def at(self, degrees: float) -> Floats:
        """Rotation and shift of what has turned by an angle (Rodrigues' formula).

        Returns
        -------
        (3, 4) float64
        """
        x, y, z = self.axis
        angle = math.radians(degrees)
        cross = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
        rotation = np.eye(3) + math.sin(angle) * cross + (1 - math.cos(angle)) * cross @ cross
        place = np.array(self.place)
        return np.hstack([rotation, (place - rotation @ place)[:, None]])


@dataclass(frozen=True)
class TurnChecked:
    """A moving joint, checked over its range and beyond.

    Attributes
    ----------
    join : str
        The id of the join.
    contact : int
        The number of the contact.
    turn : Turn
        How it turns.
    pieces : tuple[int, ...]
        The numbers, from 0 on, of the pieces that turn with its second piece.
    held_by : int
        The number of a contact through which these also hang on its first piece, so that nothing can turn; None
        if there is none.
    angles : tuple of float, degrees
        The angles tested.
    overlaps : tuple of float, mm3
        The overlap of what turns with what stays, at each angle.
    free : (float, float), degrees
        The widest range around 0 without any overlap.
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
    """A point where the seams of three or more contacts come together.

    Attributes
    ----------
    place : (3,), mm, model frame
    contacts : tuple[int, ...]
        The numbers of the contacts.
    likely, worst : float, mm
        How far the pieces that meet there may be off: for independent errors, and at worst.
    """

    place: tuple[float, float, float]
    contacts: tuple[int, ...]
    likely: float
    worst: float


@dataclass(frozen=True, eq=False)
class JoinReport:
    """The report on a join.

    Attributes
    ----------
    contact : int
        The number of its contact.
    problem : str
        Why it was not made; empty if it was.
    place : mm, model frame
        Where it is.
    moved : float, mm
        How far it was moved from where the plan puts it.
    clearance : float
        Its clearance, in mm per side.
    least_wall : float, mm
        The thinnest wall around it.
    added, removed, loose : float, mm3
        What was added to one piece, removed from both, and printed separately.
    warnings : tuple[str, ...]
        What may go wrong with it.
    breaks : bool
        Whether it would go through the surface.
    meets : str
        The id of the join that it would intersect.
    outline : (k, 3) float64, mm, model frame
        Its closed outline on the face.
    holds : bool
        Whether it keeps the pieces from sliding.
    turn : Turn | None
        How it turns, if it is a moving joint.
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
    """A contact, as far as it is shown.

    Attributes
    ----------
    pieces : tuple[int, int]
        The numbers of the two pieces, from 0 on.
    cut, between : str
        The cut, and the sides of it.
    place, way_in : (x, y, z)
        A point in mm, and the unit vector along which the second piece moves onto the first, model frame.
    area : float, mm2
        The area to be glued.
    flat : bool
        Whether it lies in one plane across that direction.
    free : bool
        Whether nothing catches on the way.
    frame : (3, 3) float64
        Rows: two directions across, and the direction out.
    outline : tuple of (k, 3) float64, mm
        The closed lines of its edge.
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
        The numbers, from 0 on, of the pieces that move as one.
    onto : tuple[int, ...]
        The numbers of the pieces that stay.
    along : tuple[float, float, float]
        The unit vector of the move, model frame.
    contacts : tuple[int, ...]
        The numbers of the contacts that it closes.
    free : float, mm
        How far the pieces can be pulled out before they collide; inf if they never do.
    meets : tuple[int, int] | None
        The pair of pieces that collide; None if the whole way is free.
    """

    pieces: tuple[int, ...]
    onto: tuple[int, ...]
    along: tuple[float, float, float]
    contacts: tuple[int, ...]
    free: float
    meets: tuple[int, int] | None = None


@dataclass(frozen=True)
class DryFit:
    """How the pieces go together.

    Attributes
    ----------
    moves : tuple[DryMove, ...]
        First to last.
    turns : tuple[TurnChecked, ...]
        The checks of the moving joints.
    meetings : tuple[MeetingPoint, ...]
        The points where seams meet, worst first.
    """

    moves: tuple[DryMove, ...]
    turns: tuple[TurnChecked, ...] = ()
    meetings: tuple[MeetingPoint, ...] = ()


@dataclass(frozen=True)
class VentReport:
    """Whether a vent was made, and how it fits.

    Attributes
    ----------
    reaches : bool
        Whether it opens a void.
    problem : str
        Why it was not made; empty if it was.
    length : float, mm
        The thickness of the wall that it goes through. ``exposure`` is that of the surface there, 0 to 1; -1 if
        it was not computed.
    gap : float, mm
        The least distance between its plug and its hole; inf without a plug.
    """

    id: str
    reaches: bool
    problem: str = ""
    length: float = 0.0
    void: int = -1
    gap: float = math.inf


@dataclass(frozen=True)
class HollowReport:
    """The report on a hollow.

    Attributes
    ----------
    piece : int
        The number of the piece, from 0 on; None if there is no such piece.
    problem : str
        Why nothing was made; else empty.
    voids : tuple of float, mm3
        The volume of each void, largest first, without the lattice.
    removed : float, mm3
        How much less the piece has.
    added : float
        The volume of the plugs.
    least_wall : float, mm
        The least distance from the voids to the surface.
    vents : tuple[VentReport, ...]
        The report on each vent.
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
        """The number of voids that no vent opens."""
        open_ = {vent.void for vent in self.vents if vent.reaches}
        return sum(number not in open_ for number in range(len(self.voids)))


@dataclass(frozen=True, eq=False)
class PostsReport:
    """The report on the posts of a piece.

    Attributes
    ----------
    piece : int
        The number of the piece, from 0 on; None if it no longer exists.
    ids : tuple of str
        The ids of the posts.
    lands : (k,) str
        "bed", "piece", "nowhere", or "off" if the surface that it touched is gone.
    lengths, walls : (k,) float64, mm
        The length of the stem, and the thickness of the piece behind the tip.
    show : (k,) bool
        Whether it touches a show face.
    leans : (k,) bool
    as_asked : (k,) bool
        Whether it stands where the user put its foot.
    holds : (k,) float64, mm2
        The area past the threshold that is nearest to it.
    contact : (k, 3) float64, mm, model frame
    braces : int
        The number of braces.
    volume : float, mm3
    area, on_show : float, mm2
        The area that tips touch, and how much of it lies on show faces.
    vertices, triangles : mm, model frame
        What is drawn of them, in mm, model frame.
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
        """Which of them stand.

        Returns
        -------
        (k,) bool
        """
        return np.array([land in ("bed", "piece") for land in self.lands], np.bool_)


@dataclass(frozen=True, eq=False)
class RoundEdge:
    """A round edge, as a caliper would read it.

    Attributes
    ----------
    diameter : float, mm
    off : float, mm
        The most by which a vertex is off the circle.
    corners : (k, 3) float64
        The vertices along the edge, in mm.
    """

    diameter: float
    off: float
    corners: Floats
