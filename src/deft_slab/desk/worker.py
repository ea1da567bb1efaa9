"""The process that does the long work.

A process of its own and not a thread: the boolean library keeps Python's lock while it cuts (measured: 0.1 s at
130,000 triangles), and the window would stand still as long. It keeps the workshops of the last models it was given.
"""

from __future__ import annotations

import contextlib
import logging
import os
import time
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from multiprocessing.connection import Connection
from typing import Any, TypeVar, get_type_hints

import numpy as np
from numpy.typing import NDArray

from .. import logbook
from ..core.cuts import Side
from ..core.documents import Triple, triple
from ..core.errors import BadPlan, DeftError
from ..core.handoff.beds import lay_out
from ..core.handoff.pieces import write_3mf, write_project, write_stls
from ..core.handoff.written import Written
from ..core.intake.files import open_file
from ..core.intake.step import FINENESS
from ..core.intake.units import likely_unit
from ..core.judge.alike import same_shapes, symmetry_planes
from ..core.judge.base import largest_scale
from ..core.judge.edges import creases, edge_plane, round_edge
from ..core.judge.exposure import spread_directions
from ..core.judge.marks import taken
from ..core.judge.overhang import overhang_angles
from ..core.judge.seats import candidates
from ..core.judge.tilts import set_down
from ..core.judge.walls import thickness, thinnest
from ..core.judge.warm import warm
from ..core.marking import Mark
from ..core.mend.mended import advised
from ..core.mend.thin import thinned
from ..core.outcome import Model, Piece, RoundEdge
from ..core.plan import Guest, Mending, Plan
from ..core.printer import Printer
from ..core.progress import Job
from ..core.search.figures import sweep
from ..core.search.found import CutMap, MapFigures, Proposal, Sweep, Turned, WorthTrying
from ..core.search.places import CutSubject, cut_map, half_sphere, likely_normals, swept, turned
from ..core.search.proposals import proposals
from ..core.search.settling import settled
from ..core.search.tilts import leaning, seats_worth_trying
from ..core.solid import Solid
from ..core.tilt import Tilt
from ..core.wearer.room import scale_with_clearance, settled_place
from ..core.workshop import SUBJECT_TRIANGLES, Subject, Workshop
from .pictures import picture_of, picture_of_seat, silhouette
from .recovery import read_work, write_model
from .replies import CutShown, Evaluated, Fetched, MapRound, SeatsFound, SeatShown, Settled, Walls
from .requests import (
    Adopt,
    Evaluate,
    EvaluateLive,
    FaceRegion,
    FindAlike,
    FindCreases,
    FindSeats,
    FindSymmetry,
    FollowEdge,
    KeepWork,
    Lean,
    LookAround,
    LookForCuts,
    MakeReady,
    MeasureEdge,
    MeasureWall,
    MeasureWalls,
    OpenFile,
    OpenGuest,
    Peek,
    ProposeCuts,
    Recover,
    Request,
    Save,
    ScaleToBed,
    ScaleToGuest,
    SeatAll,
    SettleCut,
    SettleGuest,
    SweepCut,
    TurnCut,
    WritePieces,
    WriteTogether,
)
from .scene import scene as seen
from .scene.scene import scene_of

_log = logging.getLogger(__name__)
R = TypeVar("R")
_MODELS_KEPT = 2
_CUT_ROUNDS = (60, 250)
"""Normals of each round of the cut map."""
_MAP_ROUNDS = (60, 240, 800)
"""Directions of each round of the tilt map; together about 1,000 with those of the search for seats."""


class Bench:
    """What answers the requests: each has one public method, which is found by what that takes."""

    def __init__(self) -> None:
        self._workshops: OrderedDict[str, Workshop] = OrderedDict()
        self._guests: dict[str, Solid] = {}
        self._pool = ThreadPoolExecutor(os.cpu_count() or 1)
        self._looked: tuple[object, MapFigures] | None = None
        self._to_cut: tuple[object, CutSubject] | None = None

    def answer(self, asked: Request[R], job: Job) -> R:
        """Raises what the method for the request raises."""
        found: R = _ANSWERS[type(asked)](self, asked, job)
        return found

    def open(self, asked: OpenFile, job: Job) -> Fetched:
        """Raises UnreadableFile, Cancelled."""
        opened = open_file(asked.path, job.part(0.0, 0.9), fineness=asked.fineness)
        model = opened.model
        self._offer(model, opened.guests)
        outline = silhouette(_as_it_stands(model), model.solid.triangles)
        unit = model.unit or likely_unit(float(model.solid.size.max()))
        return Fetched(
            asked.path,
            model,
            opened.project,
            opened.guests,
            advised(model.solid),
            outline,
            unit,
            opened.exact,
            asked.fineness,
        )

    def open_guest(self, asked: OpenGuest, job: Job) -> Model:
        """A model that is shown beside the opened one. Raises UnreadableFile, Cancelled."""
        model = open_file(asked.path, job).model
        self._guests[model.sha256] = model.solid
        return model

    def recover(self, asked: Recover, job: Job) -> Fetched:
        """Work that was left unsaved. Raises UnreadableFile."""
        model, project, guests = read_work(asked.folder)
        self._offer(model, guests)
        outline = silhouette(model.solid.vertices, model.solid.triangles)
        return Fetched(asked.folder, model, project, guests, Mending(), outline, project.plan.unit, False, FINENESS)

    def adopt(self, asked: Adopt, job: Job) -> None:
        """Makes the model in use known to this process."""
        self._offer(asked.model, asked.guests)
        self._workshops.move_to_end(asked.model.sha256)

    def _offer(self, model: Model, guests: dict[str, Solid]) -> None:
        """Keeps a model that was opened, beside the one in use: whether it is taken the window has yet to say."""
        self._guests |= guests
        offered = self._workshops.pop(model.sha256, None)
        if offered is None or offered.model.ref != model.ref:  # the same surface may have another name
            offered = Workshop(model, self._pool.map)
        while len(self._workshops) >= _MODELS_KEPT:
            self._workshops.popitem(last=False)
        self._workshops[model.sha256] = offered
        self._workshops.move_to_end(model.sha256, last=False)

    def ready(self, asked: MakeReady, job: Job) -> int:
        """Makes the stand-in that answers while a handle is dragged; returns its number of triangles."""
        return self._workshop(asked.plan).ready(asked.plan, job)

    def _workshop(self, plan: Plan) -> Workshop:
        """The workshop of a plan's model, which is the one in use from now on. Raises BadPlan."""
        if plan.model.sha256 not in self._workshops:
            raise BadPlan(f"The working process no longer has the model “{plan.model.name}”.", remedy="Open it again.")
        self._workshops.move_to_end(plan.model.sha256)
        return self._workshops[plan.model.sha256]

    def evaluate(self, asked: Evaluate, job: Job) -> Evaluated:
        """Raises OpenSurface, CutFailed, BadPlan, Cancelled."""
        outcome = self._workshop(asked.plan).evaluate(
            asked.plan, asked.printer, job.part(0.0, 0.95), guests=self._guests
        )
        job.step(0.96, "Drawing")
        laid = tuple(lay_out(outcome.pieces, asked.printer, asked.plan.copies))
        evaluated = Evaluated(outcome, asked.printer, laid, None)
        return replace(evaluated, picture=picture_of(scene_of(seen.Subject(asked.printer, evaluated))))

    def live(self, asked: EvaluateLive, job: Job) -> Evaluated:
        """Approximate totals and seams, from the stand-in; its pieces stay here. Raises OpenSurface, CutFailed,
        BadPlan, Cancelled."""
        outcome = self._workshop(asked.plan).evaluate(asked.plan, asked.printer, job, detail="quick")
        return Evaluated(replace(outcome, pieces=()), asked.printer, (), None)

    def _pieces(self, plan: Plan, printer: Printer, job: Job) -> tuple[Piece, ...]:
        return self._workshop(plan).evaluate(plan, printer, job).pieces

    def save(self, asked: Save, job: Job) -> Written:
        """Raises SaveFailed, WouldReplace, Cancelled."""
        model = self._workshop(asked.project.plan).model
        pieces = self._pieces(asked.project.plan, asked.printer, job.part(0.0, 0.4))
        return write_project(
            asked.project,
            model,
            pieces,
            asked.printer,
            asked.path,
            job.part(0.4, 1.0),
            self._guests,
            replace=asked.replace,
        )

    def write_pieces(self, asked: WritePieces, job: Job) -> list[Written]:
        """Raises SaveFailed, WouldReplace, Cancelled."""
        pieces = self._pieces(asked.plan, asked.printer, job.part(0.0, 0.4))
        return write_stls(pieces, asked.folder, job.part(0.4, 1.0), equal_once=asked.equal_once, replace=asked.replace)

    def write_together(self, asked: WriteTogether, job: Job) -> Written:
        """Raises SaveFailed, WouldReplace, Cancelled."""
        pieces, writing = self._pieces(asked.plan, asked.printer, job.part(0.0, 0.4)), job.part(0.4, 1.0)
        return write_3mf(
            pieces,
            asked.printer,
            asked.title,
            asked.path,
            writing,
            copies=asked.plan.copies,
            equal_once=asked.equal_once,
            replace=asked.replace,
        )

    # what Tilt asks

    def map_round(self, asked: LookAround, job: Job) -> MapRound:
        """Figures of some directions of a piece, more in each round. Raises Cancelled, OpenSurface, CutFailed."""
        subject = self._workshop(asked.plan).subject(asked.plan, asked.number, job.part(0.0, 0.3))
        flats = np.array([one.down for one in candidates(subject.light, subject.stood)])
        spread = spread_directions(_MAP_ROUNDS[asked.round_number])
        directions = (
            np.concatenate([np.array([subject.now.down]), flats, spread]) if asked.round_number == 0 else spread
        )
        figures = sweep(subject, directions, asked.printer, job.part(0.3, 1.0), self._pool.map)
        known = self._known(subject, asked.printer) if asked.round_number else None
        self._looked = (_judged(subject, asked.printer), known.and_also(figures) if known else figures)
        return MapRound(figures, flats, asked.round_number + 1 < len(_MAP_ROUNDS))

    def seats(self, asked: FindSeats, job: Job) -> SeatsFound:
        """Seats worth trying of a piece. Raises Cancelled, OpenSurface, CutFailed."""
        workshop = self._workshop(asked.plan)
        subject = workshop.subject(asked.plan, asked.number, job.part(0.0, 0.1))
        exposed = workshop.exposed_piece(asked.plan, asked.number, job.part(0.1, 0.3))
        known = self._known(subject, asked.printer)
        found, figures = seats_worth_trying(
            subject, asked.printer, asked.weights, exposed, job.part(0.3, 0.9), self._pool.map, known
        )
        return SeatsFound(_with_pictures(subject, found), figures)

    def _known(self, subject: Subject, printer: Printer) -> MapFigures | None:
        """What the map has looked at so far, if it was of this."""
        return self._looked[1] if self._looked and self._looked[0] == _judged(subject, printer) else None

    def best_seats(self, asked: SeatAll, job: Job) -> list[Tilt]:
        """The best seat by the weights of each piece. Raises Cancelled, OpenSurface, CutFailed."""
        best = []
        for number in range(asked.pieces):
            step = job.part(number / asked.pieces, (number + 1) / asked.pieces)
            subject = self._workshop(asked.plan).subject(asked.plan, number, step)
            found, _ = seats_worth_trying(subject, asked.printer, asked.weights, None, step, self._pool.map)
            best.append(found[0].tilt)
        return best

    def leanings(self, asked: Lean, job: Job) -> tuple[SeatShown, ...]:
        """The present seat and a lean off it, on the bed and lifted. Raises Cancelled, OpenSurface, CutFailed."""
        workshop = self._workshop(asked.plan)
        subject = workshop.subject(asked.plan, asked.number, job.part(0.0, 0.2))
        exposed = workshop.exposed_piece(asked.plan, asked.number, job.part(0.2, 0.4))
        found = leaning(subject, asked.printer, asked.weights, exposed, asked.lift, job.part(0.4, 1.0), self._pool.map)
        return _with_pictures(subject, found)

    def region_normal(self, asked: FaceRegion, job: Job) -> NDArray[np.float64]:
        """(3,) the way that the smooth region around a place (mm, model frame) faces on the whole. Raises Cancelled."""
        solid = self._workshop(asked.plan).subject(asked.plan, asked.number, job).solid
        mark = Mark(meaning="show", shape="grown", places=(tuple(asked.place.tolist()),), limit=asked.crease)
        facets = taken(solid, mark, lambda _: np.zeros(len(solid.triangles)))
        return np.asarray(solid.area_vectors[facets].sum(axis=0))

    def peek(self, asked: Peek, job: Job) -> NDArray[np.uint8]:
        """A small picture of a piece in a seat. Raises Cancelled, OpenSurface, CutFailed."""
        subject = self._workshop(asked.plan).subject(asked.plan, asked.number, job)
        angles = overhang_angles(subject.light.normals @ asked.tilt.rotation[2])
        past = np.where(angles > subject.threshold, angles - subject.threshold, -1.0).astype(np.float32)
        return picture_of_seat(subject.light, asked.tilt.rotation, past)

    # what Cut asks

    def _cut_subject(self, plan: Plan, printer: Printer, sides: tuple[Side, ...], job: Job) -> tuple[int, CutSubject]:
        """The piece of a plan on some sides of its cuts (the first one, where none is), as something to be parted."""
        workshop = self._workshop(plan)
        number = workshop.piece_on(plan, sides, job.part(0.0, 0.3))
        subject = workshop.subject(plan, number, job.part(0.3, 0.7))
        key = (_judged(subject, printer), plan.audience, subject.stood.tobytes(), subject.now)
        if self._to_cut is None or self._to_cut[0] != key:
            exposed = workshop.exposed_light(plan, subject, job.part(0.7, 1.0))
            self._to_cut = (key, CutSubject(subject, exposed, printer))
        return number, self._to_cut[1]  # its poses are rastered once

    def cut_round(self, asked: LookForCuts, job: Job) -> CutMap:
        """Figures of planes through a piece, more in the second round. Raises Cancelled, OpenSurface, CutFailed."""
        _, subject = self._cut_subject(asked.plan, asked.printer, asked.sides, job.part(0.0, 0.2))
        normals = half_sphere(_CUT_ROUNDS[asked.round_number])
        if asked.round_number == 0:
            normals = np.concatenate([likely_normals(subject), normals])
        return cut_map(subject, normals, job.part(0.2, 1.0), self._pool.map)

    def sweep(self, asked: SweepCut, job: Job) -> Sweep:
        """The figures of a cut at all places along its normal. Raises Cancelled, OpenSurface, CutFailed."""
        _, subject = self._cut_subject(asked.plan, asked.printer, asked.sides, job.part(0.0, 0.3))
        return swept(subject, np.array(asked.normal), job.part(0.3, 1.0), self._pool.map)

    def turned(self, asked: TurnCut, job: Job) -> Turned:
        """The figures of a cut turned both ways. Raises Cancelled, OpenSurface, CutFailed."""
        _, subject = self._cut_subject(asked.plan, asked.printer, asked.sides, job.part(0.0, 0.3))
        return turned(subject, np.array(asked.normal), asked.offset, job.part(0.3, 1.0), self._pool.map)

    def proposals(self, asked: ProposeCuts, job: Job) -> tuple[CutShown, ...]:
        """Cuts worth making through a piece, least support left first. Raises Cancelled, OpenSurface, CutFailed."""
        number, subject = self._cut_subject(asked.plan, asked.printer, asked.sides, job.part(0.0, 0.1))
        found = proposals(
            self._workshop(asked.plan),
            asked.plan,
            number,
            subject,
            asked.wishes,
            asked.known,
            job.part(0.1, 0.95),
            self._pool.map,
        )
        return tuple(_cut_shown(one, asked.printer) for one in found)

    def settle(self, asked: SettleCut, job: Job) -> Settled:
        """The place near a cut's own where its seam is least seen. Raises Cancelled, OpenSurface, CutFailed."""
        _, subject = self._cut_subject(asked.plan, asked.printer, asked.sides, job.part(0.0, 0.3))
        return Settled(*settled(subject, asked.cut, asked.limits, job.part(0.3, 1.0), self._pool.map))

    def symmetry(self, asked: FindSymmetry, job: Job) -> tuple[tuple[Triple, float], ...]:
        """(unit normal, offset in mm) of the planes that the model is symmetric at, best first. Raises Cancelled."""
        found = symmetry_planes(self._few(asked.plan, job.part(0.0, 0.8)))
        return tuple(((float(n[0]), float(n[1]), float(n[2])), offset) for n, offset in found)

    def alike(self, asked: FindAlike, job: Job) -> tuple[tuple[int, bool], ...]:
        """For each piece, the number of the first of the same shape, and whether it is its mirror image."""
        return tuple(same_shapes([piece.solid for piece in self._pieces(asked.plan, asked.printer, job)]))

    # what Size asks

    def walls(self, asked: MeasureWalls, job: Job) -> Walls:
        """Raises Cancelled."""
        pieces = self._pieces(asked.plan, asked.printer, job.part(0.0, 0.5))
        behind = [thickness(piece.solid, None, job.part(0.5, 1.0)).astype(np.float32) for piece in pieces]
        least = min(thinnest(walls, piece.solid.areas) for walls, piece in zip(behind, pieces, strict=True))
        return Walls(tuple(behind), least)

    def wall_at(self, asked: MeasureWall, job: Job) -> float:
        """mm of wall behind a facet of a piece. Raises Cancelled."""
        solid = self._pieces(asked.plan, asked.printer, job)[asked.number].solid
        return float(thickness(solid, np.array([asked.facet]))[0])

    def edge_at(self, asked: MeasureEdge, job: Job) -> RoundEdge:
        """The round edge nearest to a point (mm, model frame). Raises BadPlan, Cancelled."""
        return round_edge(self._pieces(asked.plan, asked.printer, job)[asked.number].solid, asked.place)

    def plane_at(self, asked: FollowEdge, job: Job) -> tuple[Triple, float]:
        """(unit normal, offset in mm) of the plane along the edge nearest to a point (mm, model frame). Raises BadPlan,
        Cancelled."""
        try:
            normal, offset = edge_plane(
                self._pieces(asked.plan, asked.printer, job.part(0.0, 0.5))[asked.number].solid, asked.place
            )
        except BadPlan as problem:
            try:  # an edge that is rounded over several facets is one on the stand-in
                normal, offset = edge_plane(self._few(asked.plan, job.part(0.5, 1.0)), asked.place)
            except BadPlan:
                raise problem from None
        return triple(normal), offset

    def creases(self, asked: FindCreases, job: Job) -> NDArray[np.float64]:
        """(k, 2, 3) mm, model frame: the sharp edges of the uncut model, of its stand-in, on which those of a fine
        surface are sharper. Raises Cancelled."""
        return creases(self._few(asked.plan, job))

    def _few(self, plan: Plan, job: Job) -> Solid:
        """The uncut model of few triangles."""
        solid, _ = self._workshop(plan).mended(plan, job.part(0.0, 0.3))
        return thinned(solid, SUBJECT_TRIANGLES, job.part(0.3, 1.0))

    def scale_to_bed(self, asked: ScaleToBed, job: Job) -> float:
        """The factor by which the model, as it stands, can be scaled further to just fit. Raises Cancelled."""
        solid, _ = self._workshop(asked.plan).mended(asked.plan, job)
        return largest_scale(set_down(solid.vertices, asked.plan.tilt.rotation), asked.printer)

    def scale_to_guest(self, asked: ScaleToGuest, job: Job) -> float:
        """The factor by which the model must be scaled further for a guest's clearance. Raises BadPlan, Cancelled."""
        guest = asked.plan.guest(asked.guest_id)
        solid, _ = self._workshop(asked.plan).mended(asked.plan, job)
        return scale_with_clearance(solid, guest, asked.plan.factors, self._guest_model(guest), job)

    def settle_guest(self, asked: SettleGuest, job: Job) -> tuple[float, float, float]:
        """The place near its own where a guest has most room. Raises BadPlan, Cancelled."""
        guest = asked.plan.guest(asked.guest_id)
        solid, _ = self._workshop(asked.plan).mended(asked.plan, job)
        return settled_place(solid, guest, asked.plan.factors, self._guest_model(guest), job)

    def _guest_model(self, guest: Guest) -> Solid | None:
        return self._guests.get(guest.model.sha256) if guest.model else None

    def keep_work(self, asked: KeepWork, job: Job) -> None:
        """Writes the model into the folder of unsaved work. Raises SaveFailed."""
        write_model(asked.folder, asked.model, self._guests | asked.guests)


def answers() -> dict[type[Request[Any]], Callable[..., Any]]:
    """The method of ``Bench`` for each kind of request."""
    found = {}
    for name, method in vars(Bench).items():
        asked = get_type_hints(method).get("asked") if not name.startswith("_") and callable(method) else None
        if isinstance(asked, type) and issubclass(asked, Request):
            found[asked] = method
    return found


_ANSWERS = answers()


def _judged(subject: Subject, printer: Printer) -> tuple[object, ...]:
    """What figures of directions depend on."""
    return subject.light, subject.marks.bits.tobytes(), subject.threshold, subject.lift, printer


def _cut_shown(one: Proposal, printer: Printer) -> CutShown:
    pieces = one.pieces
    evaluated = Evaluated(one.outcome, printer, tuple(lay_out(pieces, printer)), None)
    picture = picture_of(scene_of(seen.Subject(printer, evaluated)))
    names = tuple(f"{piece.name}: {piece.seat_kind}" for piece in pieces)
    return CutShown(
        one.cut, one.plan, one.left, one.support, sum(piece.figures.overhang_area_mm2 for piece in pieces), one.sight,
        one.show, one.outcome.seams[one.cut.id].cut_area, one.fits, one.flat, names, picture,
    )  # fmt: skip


def _with_pictures(subject: Subject, seats: list[WorthTrying]) -> tuple[SeatShown, ...]:
    """Seats with their pictures; what was only needed to draw them stays here."""
    nothing = np.empty(0, np.float32)
    return tuple(
        SeatShown(
            replace(seat, past_threshold=nothing),
            picture_of_seat(subject.solid, seat.tilt.rotation, seat.past_threshold),
        )
        for seat in seats
    )


def _as_it_stands(model: Model) -> NDArray[np.float64]:
    """Its vertices, stood up if the format says that +Y is up."""
    return model.solid.vertices[:, [0, 2, 1]] * [1, -1, 1] if model.up_stated else model.solid.vertices


def serve(connection: Connection, wanted: Any) -> None:
    """Runs requests until the other end is closed.

    Messages in: (number, request). Messages out: (number, "progress", (fraction, doing)) any number of
    times, then (number, "done", result) or (number, "failed", error).
    wanted : shared integer, the number of the request whose result is still wanted
    """
    bench = Bench()
    with contextlib.suppress(EOFError, OSError, KeyboardInterrupt):
        connection.send((0, "progress", (0.0, "Getting ready")))
        warm()
        while True:
            number, asked = connection.recv()
            _answer(bench, connection, wanted, number, asked)


def _answer(bench: Bench, connection: Connection, wanted: Any, number: int, asked: Request[Any]) -> None:
    told = 0.0

    def report(fraction: float, doing: str) -> None:
        nonlocal told
        now = time.monotonic()
        if now - told > 0.05:
            told = now
            connection.send((number, "progress", (fraction, doing)))

    job = Job(report, lambda: wanted.value != number)
    try:
        result = bench.answer(asked, job)
    except DeftError as error:
        connection.send((number, "failed", error))
    except Exception as error:  # noqa: BLE001 - the border of the worker: whatever it is, the window must hear of it
        _log.exception("%s failed", type(asked).__name__)
        what = f"Something went wrong inside ({type(error).__name__}: {error})."
        remedy = f"Undo the last step if it is still there, and try again. {logbook.hint()}".strip()
        connection.send((number, "failed", DeftError(what, kept="Your plan is untouched.", remedy=remedy)))
    else:
        connection.send((number, "done", result))
