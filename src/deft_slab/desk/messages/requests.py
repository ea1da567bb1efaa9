"""What the window asks of the worker process: one frozen class for each thing, which names its reply.

Light to load, for the window loads it before anything heavy. What answers each is in ``worker``.
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
    """Something to be answered with an R."""


@dataclass(frozen=True, eq=False)
class OpenFile(Request[Fetched]):
    """Attributes
    ----------
    fineness : float, mm
        By which triangles may be off, for files with exact faces.
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
    """Makes the model in use known to the process.

    Attributes
    ----------
    guests : dict[str, Solid]
        Surfaces by content hash.
    """

    model: Model
    guests: dict[str, Solid]


@dataclass(frozen=True, eq=False)
class KeepWork(Request[None]):
    """Writes the model of a plan, and some guests, by content hash, into the folder of unsaved work: the process has
    them.
    """

    folder: Path
    plan: Plan
    guests: frozenset[str]


@dataclass(frozen=True, eq=False)
class MakeReady(Request[int]):
    """Makes the draft mesh that answers while a handle is dragged; the reply is its number of triangles."""

    plan: Plan


@dataclass(frozen=True, eq=False)
class OfPlan(Request[R]):
    """Something about a plan, as a printer has it."""

    plan: Plan
    printer: Printer


@dataclass(frozen=True, eq=False)
class Evaluate(OfPlan[Evaluated]):
    """Pieces and figures."""


@dataclass(frozen=True, eq=False)
class EvaluateLive(OfPlan[Evaluated]):
    """Approximate totals and seams, from the draft mesh; its pieces stay in the process."""


@dataclass(frozen=True, eq=False)
class Save(Request[Written]):
    """Attributes
    ----------
    replace : bool
        Whether a file of that name may be replaced.
    """

    project: Project
    printer: Printer
    path: Path
    replace: bool


@dataclass(frozen=True, eq=False)
class WritePieces(OfPlan[list[Written]]):
    """Each piece as an STL.

    Attributes
    ----------
    equal_once : bool
        Equal pieces are one file.
    with_posts : bool
        In one body with their posts.
    """

    folder: Path
    equal_once: bool
    replace: bool
    with_posts: bool = True


@dataclass(frozen=True, eq=False)
class WriteTogether(OfPlan[Written]):
    """All pieces in one 3MF."""

    title: str
    path: Path
    equal_once: bool
    replace: bool
    with_posts: bool = True


# what Tilt asks


@dataclass(frozen=True, eq=False)
class OfPiece(OfPlan[R]):
    """Attributes
    ----------
    number : int
        Of a piece, from 0 on.
    """

    number: int


@dataclass(frozen=True, eq=False)
class LookAround(OfPiece[MapRound]):
    """Figures of some directions of a piece, more in each round.

    Attributes
    ----------
    round_number : int
        From 0 on.
    """

    round_number: int


@dataclass(frozen=True, eq=False)
class FindSeats(OfPiece[SeatsFound]):
    """Seats worth trying of a piece."""

    weights: Weights


@dataclass(frozen=True, eq=False)
class SeatAll(OfPlan[list[Tilt]]):
    """The best seat by the weights of each of so many pieces."""

    pieces: int
    weights: Weights


@dataclass(frozen=True, eq=False)
class Lean(OfPiece[tuple[SeatShown, ...]]):
    """The present seat and a lean off it, on the bed and lifted by so many mm."""

    weights: Weights
    lift: float


@dataclass(frozen=True, eq=False)
class FaceRegion(OfPiece[Floats]):
    """(3,) the way that the smooth region around a place faces on the whole.

    Attributes
    ----------
    place : (3,) float64, mm, model frame
    crease : float, degrees
        At which the region ends.
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
    """Attributes
    ----------
    sides : tuple[Side, ...]
        Of the cuts, on which the piece lies that is meant; the first piece where none does.
    """

    sides: tuple[Side, ...]


@dataclass(frozen=True, eq=False)
class LookForCuts(OfSides[CutMap]):
    """Figures of planes through a piece, as many as its ways are looked for along."""


@dataclass(frozen=True, eq=False)
class SweepCut(OfSides[Sweep]):
    """The figures of a straight cut at all places along its normal."""

    normal: Triple


@dataclass(frozen=True, eq=False)
class TurnCut(OfSides[Turned]):
    """The figures of a straight cut turned both ways."""

    normal: Triple
    offset: float


@dataclass(frozen=True)
class LookForWays(OfPlan[WaysFound]):
    """Goes on by one step with looking for ways to part a piece, or all; begins where it is asked for the first time.

    Attributes
    ----------
    sides : tuple[Side, ...] | None
        Of the cuts, on which the piece lies that is meant; None: all pieces.
    """

    sides: tuple[Side, ...] | None
    wishes: CutWishes


@dataclass(frozen=True, eq=False)
class MoreLikeWay(Request[WaysFound]):
    """Has the cuts of one way moved and turned together.

    Attributes
    ----------
    asked : LookForWays
        What it was found by.
    way : Plan
        Its plan.
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
    """Where the seams of all cuts of a plan are seen least together, none far from its own place."""

    limits: Limits


@dataclass(frozen=True, eq=False)
class FindSymmetry(Request[tuple[tuple[Triple, float], ...]]):
    """(unit normal, offset in mm) of the planes that the model is symmetric at, best first."""

    plan: Plan


@dataclass(frozen=True, eq=False)
class FindAlike(OfPlan[tuple[tuple[int, bool], ...]]):
    """For each piece, the number of the first of the same shape, and whether it is its mirror image."""


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
        The number of the one that is meant; None: all.
    stock : mm
        Diameters of the rods that one has.
    """

    only: int | None
    stock: tuple[float, ...]


@dataclass(frozen=True, eq=False)
class LetterAll(OfPlan[list[Join]]):
    """Numbers and letters for the contacts that have none."""


@dataclass(frozen=True, eq=False)
class FitDry(OfPlan[DryFit]):
    """How the pieces go together: in which order, what is in the way, how joints turn, where seams meet."""


@dataclass(frozen=True, eq=False)
class WriteCoupon(Request[Path]):
    """A coupon for a join; the reply is its file.

    Attributes
    ----------
    steps : tuple[float, ...]
        mm per side.
    replace : bool
        Whether one there may be replaced.
    """

    join: Join
    printer: Printer
    steps: tuple[float, ...]
    path: Path
    replace: bool


# what Size asks


@dataclass(frozen=True, eq=False)
class MeasureWalls(OfPlan[Walls]):
    """The wall behind each facet."""


@dataclass(frozen=True, eq=False)
class MeasureWall(OfPiece[float]):
    """mm of wall behind a facet of a piece."""

    facet: int


@dataclass(frozen=True, eq=False)
class MeasureEdge(OfPiece[RoundEdge]):
    """The round edge nearest to a place (3,), mm, model frame."""

    place: Floats


@dataclass(frozen=True, eq=False)
class FollowEdge(OfPiece[tuple[Triple, float]]):
    """(unit normal, offset in mm) of the plane along the edge nearest to a place (3,), mm, model frame."""

    place: Floats


@dataclass(frozen=True, eq=False)
class FindCreases(Request[Floats]):
    """(k, 2, 3) mm, model frame: the sharp edges of the uncut model."""

    plan: Plan


@dataclass(frozen=True, eq=False)
class ScaleToBed(OfPlan[float]):
    """The factor by which the model, as it stands, can be scaled further to just fit."""


@dataclass(frozen=True, eq=False)
class ScaleToGuest(Request[float]):
    """The factor by which the model must be scaled further for a guest's clearance."""

    plan: Plan
    guest_id: str


@dataclass(frozen=True, eq=False)
class SettleGuest(Request[Triple]):
    """The place near its own where a guest has most room."""

    plan: Plan
    guest_id: str
