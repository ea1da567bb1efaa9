"""What the window asks the worker process for: one immutable class for each thing, which names its reply.

Quick to import, because the window imports it before anything heavy. ``worker`` contains the answers.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Generic, TypeVar

from ...core.arrays import Bytes, Floats
from ...core.cuts import Cut, Side
from ...core.document.base import Triple
from ...core.exporting.written_file import Written
from ...core.geometry.orientation import Tilt
from ...core.joins import Join
from ...core.joins.reports import DryFit, RoundEdge
from ...core.mesh.solid import Solid
from ...core.plan.model import Model
from ...core.plan.plan import Plan
from ...core.plan.project import Project
from ...core.printers.profile import Printer
from ...core.search.results import CutMap, CutWishes, Limits, Sweep, Turned
from ...core.search.weighing import Weights
from .replies import Evaluated, Fetched, MapRound, RoomShown, SeatsFound, SeatShown, Settled, Walls, WaysFound

R = TypeVar("R", covariant=True)


class Request(Generic[R]):
    """A request that is answered with an R."""


@dataclass(frozen=True, eq=False)
class OpenFile(Request[Fetched]):
    """A model or a project from a file.

    Attributes
    ----------
    fineness : float, mm
        How far triangles may be off, for files with exact surfaces.
    """

    path: Path
    fineness: float


@dataclass(frozen=True, eq=False)
class OpenGuest(Request[Model]):
    """A model that is shown beside the opened one."""

    path: Path


@dataclass(frozen=True, eq=False)
class Recover(Request[Fetched]):
    """Work that was left unsaved."""

    folder: Path


@dataclass(frozen=True, eq=False)
class Adopt(Request[None]):
    """Tells the process which model is in use.

    Attributes
    ----------
    guests : dict[str, Solid]
        Surfaces by content hash.
    """

    model: Model
    guests: dict[str, Solid]


@dataclass(frozen=True, eq=False)
class KeepWork(Request[None]):
    """Writes the model of a plan, and some guests given by content hash, into the folder of unsaved work."""

    folder: Path
    plan: Plan
    guests: frozenset[str]


@dataclass(frozen=True, eq=False)
class MakeReady(Request[int]):
    """Makes the draft mesh that is used while a handle is dragged. The reply is its number of triangles."""

    plan: Plan


@dataclass(frozen=True, eq=False)
class OfPlan(Request[R]):
    """A request about a plan on a printer."""

    plan: Plan
    printer: Printer


@dataclass(frozen=True, eq=False)
class Evaluate(OfPlan[Evaluated]):
    """The pieces and figures of a plan."""


@dataclass(frozen=True, eq=False)
class EvaluateLive(OfPlan[Evaluated]):
    """Approximate totals and seams from the draft mesh. The pieces stay in the process."""


@dataclass(frozen=True, eq=False)
class Save(Request[Written]):
    """Saves the project.

    Attributes
    ----------
    replace : bool
        Whether an existing file may be replaced.
    """

    project: Project
    printer: Printer
    path: Path
    replace: bool


@dataclass(frozen=True, eq=False)
class WritePieces(OfPlan[list[Written]]):
    """Writes each piece as an STL.

    Attributes
    ----------
    equal_once : bool
        Whether equal pieces are one file.
    with_posts : bool
        Whether pieces are united with their posts.
    """

    folder: Path
    equal_once: bool
    replace: bool
    with_posts: bool = True


@dataclass(frozen=True, eq=False)
class WriteTogether(OfPlan[Written]):
    """Writes all pieces into one 3MF."""

    title: str
    path: Path
    equal_once: bool
    replace: bool
    with_posts: bool = True


# what Tilt asks


@dataclass(frozen=True, eq=False)
class OfPiece(OfPlan[R]):
    """A request about one piece.

    Attributes
    ----------
    number : int
        The number of the piece, from 0 on.
    """

    number: int


@dataclass(frozen=True, eq=False)
class LookAround(OfPiece[MapRound]):
    """The figures of some directions of a piece, more in each round.

    Attributes
    ----------
    round_number : int
        From 0 on.
    """

    round_number: int


@dataclass(frozen=True, eq=False)
class FindSeats(OfPiece[SeatsFound]):
    """Seats worth trying for a piece."""

    weights: Weights


@dataclass(frozen=True, eq=False)
class SeatAll(OfPlan[list[Tilt]]):
    """For each of some pieces the best seat by the weights."""

    pieces: int
    weights: Weights


@dataclass(frozen=True, eq=False)
class Lean(OfPiece[tuple[SeatShown, ...]]):
    """The present seat and a lean off it, on the bed and lifted by so many mm."""

    weights: Weights
    lift: float


@dataclass(frozen=True, eq=False)
class FaceRegion(OfPiece[Floats]):
    """The mean direction of the smooth region around a place, (3,) float64.

    Attributes
    ----------
    place : (3,) float64, mm, model frame
    crease : float, degrees
        The bend at which the region ends.
    """

    place: Floats
    crease: float


@dataclass(frozen=True, eq=False)
class Peek(OfPiece[Bytes]):
    """A small picture of a piece in a seat."""

    tilt: Tilt


# what Cut asks


@dataclass(frozen=True, eq=False)
class OfSides(OfPlan[R]):
    """A request about the piece on some sides of cuts.

    Attributes
    ----------
    sides : tuple[Side, ...]
        The sides; if no piece is on them, the first piece is meant.
    """

    sides: tuple[Side, ...]


@dataclass(frozen=True, eq=False)
class LookForCuts(OfSides[CutMap]):
    """Figures of planes through a piece, along as many normals as the search for ways uses."""


@dataclass(frozen=True, eq=False)
class SweepCut(OfSides[Sweep]):
    """The figures of a straight cut at all places along its normal."""

    normal: Triple


@dataclass(frozen=True, eq=False)
class TurnCut(OfSides[Turned]):
    """The figures of a straight cut rotated both ways."""

    normal: Triple
    offset: float


@dataclass(frozen=True)
class LookForWays(OfPlan[WaysFound]):
    """Runs one step of the search for ways to part a piece or all pieces. The first request begins the search.

    Attributes
    ----------
    sides : tuple[Side, ...] | None
        The sides of the piece that is parted; None: all pieces.
    """

    sides: tuple[Side, ...] | None
    wishes: CutWishes


@dataclass(frozen=True, eq=False)
class MoreLikeWay(Request[WaysFound]):
    """Moves and rotates the cuts of one way together.

    Attributes
    ----------
    asked : LookForWays
        The request that found it.
    way : Plan
        The plan of the way.
    """

    asked: LookForWays
    way: Plan


@dataclass(frozen=True, eq=False)
class SettleCut(OfSides[Settled]):
    """The place near a cut's own where its seam is least seen."""

    cut: Cut
    limits: Limits


@dataclass(frozen=True, eq=False)
class SettlePlan(OfPlan[Settled]):
    """Where the seams of all cuts of a plan are least seen together, none far from its own place."""

    limits: Limits


@dataclass(frozen=True, eq=False)
class FindSymmetry(Request[tuple[tuple[Triple, float], ...]]):
    """The unit normals and offsets (mm) of the planes of symmetry of the model, best first."""

    plan: Plan


@dataclass(frozen=True, eq=False)
class FindAlike(OfPlan[tuple[tuple[int, bool], ...]]):
    """For each piece, the first piece of the same shape, and whether it is a mirror image of that."""


# what Join asks


@dataclass(frozen=True, eq=False)
class LookAtRoom(OfPlan[RoomShown]):
    """The room for a join around each place of its contact."""

    join: Join


@dataclass(frozen=True, eq=False)
class ProposeJoins(OfPlan[list[Join]]):
    """Joins for the contacts that have none.

    Attributes
    ----------
    only : int
        The number of the one contact to propose for; None: all.
    stock : tuple of float, mm
        The diameters of the rods at hand.
    """

    only: int | None
    stock: tuple[float, ...]


@dataclass(frozen=True, eq=False)
class LetterAll(OfPlan[list[Join]]):
    """Numbers and letters for the contacts that have none."""


@dataclass(frozen=True, eq=False)
class FitDry(OfPlan[DryFit]):
    """How the pieces go together: in which order, what is in the way, how joints turn, and where seams meet."""


@dataclass(frozen=True, eq=False)
class WriteCoupon(Request[Path]):
    """Writes a coupon for a join. The reply is its file.

    Attributes
    ----------
    steps : tuple of float, mm per side
        The clearances.
    replace : bool
        Whether an existing file may be replaced.
    """

    join: Join
    printer: Printer
    steps: tuple[float, ...]
    path: Path
    replace: bool


# what Size asks


@dataclass(frozen=True, eq=False)
class MeasureWalls(OfPlan[Walls]):
    """The thickness of the wall behind each facet."""


@dataclass(frozen=True, eq=False)
class MeasureWall(OfPiece[float]):
    """The thickness of the wall behind a facet of a piece, in mm."""

    facet: int


@dataclass(frozen=True, eq=False)
class MeasureEdge(OfPiece[RoundEdge]):
    """The round edge nearest to a place, (3,) mm, model frame."""

    place: Floats


@dataclass(frozen=True, eq=False)
class FollowEdge(OfPiece[tuple[Triple, float]]):
    """The unit normal and the offset (mm) of the plane along the edge nearest to a place, (3,) mm, model frame."""

    place: Floats


@dataclass(frozen=True, eq=False)
class FindCreases(Request[Floats]):
    """The sharp edges of the uncut model, (k, 2, 3) float64, mm, model frame."""

    plan: Plan


@dataclass(frozen=True, eq=False)
class ScaleToBed(OfPlan[float]):
    """The factor by which the model, as it stands, can be scaled so that it just fits."""


@dataclass(frozen=True, eq=False)
class ScaleToGuest(Request[float]):
    """The factor by which the model must be scaled for the clearance of a guest."""

    plan: Plan
    guest_id: str


@dataclass(frozen=True, eq=False)
class SettleGuest(Request[Triple]):
    """The place near its own where a guest has most room."""

    plan: Plan
    guest_id: str
