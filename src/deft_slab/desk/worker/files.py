"""Answers about files, and evaluates plans."""

from __future__ import annotations

from dataclasses import replace

from ...core.arrays import Floats
from ...core.exporting.beds import laid_with_job
from ...core.exporting.layout import collisions
from ...core.exporting.piece_files import write_3mf, write_project, write_stls
from ...core.exporting.shrinkage import as_printed
from ...core.exporting.written_file import Written
from ...core.importing.fineness import FINENESS
from ...core.importing.readers import open_file
from ...core.importing.units import likely_unit
from ...core.locale.translate import tr
from ...core.plan.model import Model
from ...core.plan.plan import Mending
from ...core.progress import Job
from ...core.repair.mend import advised
from ...core.results.outcome import Outcome, Piece
from ...core.supports.piece_posts import in_bodies
from ..messages.replies import Evaluated, Fetched
from ..messages.requests import (
    Adopt,
    Evaluate,
    EvaluateLive,
    KeepWork,
    MakeReady,
    OpenFile,
    OpenGuest,
    Recover,
    Save,
    WritePieces,
    WriteTogether,
)
from ..pictures import picture_of, silhouette
from ..scene.scene import scene_of
from ..scene.subject import SceneSubject
from ..storage.recovery import read_work, write_model
from .shop import Shop


class FileAnswers:
    """Answers requests; see ``bench``."""

    def __init__(self, shop: Shop) -> None:
        self._shop = shop

    def open(self, asked: OpenFile, job: Job) -> Fetched:
        """Raises UnreadableFile, Cancelled."""
        opened = open_file(asked.path, job.part(0.0, 0.9), fineness=asked.fineness)
        model = opened.model
        self._shop.offer(model, opened.guests)
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
        self._shop.guests[model.sha256] = model.solid
        return model

    def recover(self, asked: Recover, job: Job) -> Fetched:
        """Work that was left unsaved. Raises UnreadableFile."""
        model, project, guests = read_work(asked.folder)
        self._shop.offer(model, guests)
        outline = silhouette(model.solid.vertices, model.solid.triangles)
        return Fetched(asked.folder, model, project, guests, Mending(), outline, project.plan.unit, False, FINENESS)

    def adopt(self, asked: Adopt, job: Job) -> None:
        """Tell this process which model is in use."""
        self._shop.offer(asked.model, asked.guests)
        self._shop.evaluators.move_to_end(asked.model.sha256)

    def ready(self, asked: MakeReady, job: Job) -> int:
        """Make the draft mesh that is used while a handle is dragged. Returns its number of triangles."""
        return self._shop.evaluator(asked.plan).ready(asked.plan, job)

    def evaluate(self, asked: Evaluate, job: Job) -> Evaluated:
        """Raises OpenSurface, CutFailed, BadPlan, Cancelled."""
        outcome = self._shop.evaluator(asked.plan).evaluate(
            asked.plan, asked.printer, job.part(0.0, 0.95), guests=self._shop.guests
        )
        job.step(0.96, tr("Drawing"))
        laid, work = laid_with_job(outcome, asked.printer)
        # what does not fit leaves its bed anyway, which is said of the piece
        large = {n for n, piece in enumerate(outcome.pieces) if not piece.fit.fits}
        clashes = tuple(
            (a, b) for a, b in collisions(laid, asked.printer, outcome.pieces) if a != b or laid[a].piece not in large
        )
        evaluated = Evaluated(outcome, asked.printer, tuple(laid), None, work, clashes)
        return replace(evaluated, picture=picture_of(scene_of(SceneSubject(asked.printer, evaluated))))

    def live(self, asked: EvaluateLive, job: Job) -> Evaluated:
        """Approximate totals and seams from the draft mesh. The pieces stay here. Raises OpenSurface, CutFailed,
        BadPlan, Cancelled.
        """
        outcome = self._shop.evaluator(asked.plan).evaluate(asked.plan, asked.printer, job, detail="quick")
        return Evaluated(replace(outcome, pieces=()), asked.printer, (), None)

    def save(self, asked: Save, job: Job) -> Written:
        """Raises SaveFailed, WouldReplace, Cancelled."""
        outcome = self._shop.outcome(asked.project.plan, asked.printer, job.part(0.0, 0.4))
        return write_project(
            asked.project,
            self._shop.evaluator(asked.project.plan).model,
            outcome.pieces,
            asked.printer,
            asked.path,
            job.part(0.4, 1.0),
            self._shop.guests,
            posts=outcome.posts,
            replace=asked.replace,
        )

    def _printed(self, asked: WritePieces | WriteTogether, job: Job) -> tuple[list[Piece], Outcome]:
        """The pieces of a plan, with their posts if they are wanted; and the outcome of the plan."""
        outcome = self._shop.outcome(asked.plan, asked.printer, job.part(0.0, 0.5))
        posts = asked.plan.posts if asked.with_posts else ()
        return as_printed(in_bodies(posts, outcome.pieces, job.part(0.5, 1.0)), asked.printer), outcome

    def write_pieces(self, asked: WritePieces, job: Job) -> list[Written]:
        """Raises SaveFailed, WouldReplace, Cancelled."""
        pieces, _ = self._printed(asked, job.part(0.0, 0.4))
        return write_stls(pieces, asked.folder, job.part(0.4, 1.0), equal_once=asked.equal_once, replace=asked.replace)

    def write_together(self, asked: WriteTogether, job: Job) -> Written:
        """Raises SaveFailed, WouldReplace, Cancelled."""
        pieces, outcome = self._printed(asked, job.part(0.0, 0.4))
        return write_3mf(
            pieces,
            asked.printer,
            asked.title,
            asked.path,
            job.part(0.4, 1.0),
            copies=asked.plan.copies,
            lying=asked.plan.lying,
            posts=outcome.posts,
            beds_by=asked.plan.beds_by,
            equal_once=asked.equal_once,
            replace=asked.replace,
        )

    def keep_work(self, asked: KeepWork, job: Job) -> None:
        """Writes the model and some guests into the folder of unsaved work. Raises SaveFailed, BadPlan."""
        guests = {sha: solid for sha, solid in self._shop.guests.items() if sha in asked.guests}
        write_model(asked.folder, self._shop.evaluator(asked.plan).model, guests)


def _as_it_stands(model: Model) -> Floats:
    """The vertices of a model, stood up if the format says that +Y is up."""
    return model.solid.vertices[:, [0, 2, 1]] * [1, -1, 1] if model.up_stated else model.solid.vertices
