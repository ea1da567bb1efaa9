"""Answers what Check asks for: the findings of the pieces, and sections through them."""

from __future__ import annotations

from scipy.spatial import cKDTree

from ...core.geometry.simplify import thinned
from ...core.inspection.findings import Inspection, SectionFace
from ...core.inspection.inspect import check, section_face
from ...core.mesh.solid import Solid
from ...core.plan.hollow import Vent
from ...core.plan.plan import Plan
from ...core.printers.profile import Printer
from ...core.progress import Job
from ...core.results.outcome import Piece
from ...core.search.vents import proposed_vents
from ...core.supports.piece_posts import proposed_points
from ..messages.check import CheckPieces, CutSection, LightenPieces, ProposePosts, ProposeVents
from ..messages.replies import Light, PostsProposed
from .shop import Shop

_HEAVY, _FEW = 20_000, 8_000
"""Triangles from which on a piece is drawn lighter while something moves, and how many it then has."""


class CheckAnswers:
    """Answers requests; see ``bench``."""

    def __init__(self, shop: Shop) -> None:
        self._shop = shop
        self._last: tuple[Plan, Printer, tuple[Piece, ...]] | None = None

    def check(self, asked: CheckPieces, job: Job) -> tuple[Inspection, ...]:
        """The check of each piece. Raises Cancelled, OpenSurface, CutFailed, BadPlan."""
        return check(self._shop.evaluator(asked.plan), asked.plan, asked.printer, asked.layer, job)

    def lighten(self, asked: LightenPieces, job: Job) -> tuple[Light | None, ...]:
        """Each piece simplified. Raises Cancelled, OpenSurface, CutFailed, BadPlan."""
        pieces = self._shop.evaluator(asked.plan).evaluate(asked.plan, asked.printer, job, detail="figures").pieces
        return tuple(_light(piece.solid, job) for piece in pieces)

    def vents(self, asked: ProposeVents, job: Job) -> tuple[Vent, ...]:
        """Vents for a hollow. Raises Cancelled, OpenSurface, CutFailed, BadPlan, HollowFailed."""
        return proposed_vents(self._shop.evaluator(asked.plan), asked.plan, asked.hollow, asked.printer, job=job)

    def posts(self, asked: ProposePosts, job: Job) -> PostsProposed:
        """Posts for a piece. Raises Cancelled, OpenSurface, CutFailed, BadPlan."""
        plan, printer = asked.plan.changed(posts=()), asked.printer
        pieces = self._shop.evaluator(plan).evaluate(plan, printer, job.part(0.0, 0.2), detail="figures").pieces
        piece = pieces[min(asked.number, len(pieces) - 1)]
        printer = piece.on(printer)
        layer = printer.layer_height if asked.layer is None else asked.layer
        return PostsProposed(*proposed_points(asked.posts, piece, layer, printer.least_island, job.part(0.2, 1.0)))

    def section(self, asked: CutSection, job: Job) -> tuple[SectionFace, ...]:
        """The sections of all pieces. Raises Cancelled, OpenSurface, CutFailed, BadPlan."""
        if self._last is None or self._last[:2] != (asked.plan, asked.printer):
            pieces = self._shop.evaluator(asked.plan).evaluate(asked.plan, asked.printer, job, detail="figures").pieces
            self._last = (asked.plan, asked.printer, pieces)
        return tuple(section_face(piece, asked.z) for piece in self._last[2])


def _light(solid: Solid, job: Job) -> Light | None:
    if len(solid.triangles) < _HEAVY:
        return None
    light = thinned(solid, _FEW, job)
    _, alike = cKDTree(solid.centroids).query(light.centroids)
    return Light(light.vertices, light.triangles, alike)
