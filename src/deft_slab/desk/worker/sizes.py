"""Answers what Size asks for: walls, edges, scales, guests."""

from __future__ import annotations

import numpy as np

from ...core.arrays import Floats
from ...core.document.base import Triple, triple
from ...core.errors import BadPlan
from ...core.figures.base_area import largest_scale
from ...core.figures.sharp_edges import creases, edge_plane, round_edge
from ...core.figures.wall_thickness import thickness, thinnest
from ...core.geometry.place_on_bed import set_down
from ...core.joins.reports import RoundEdge
from ...core.mesh.solid import Solid
from ...core.plan.plan import Guest
from ...core.progress import Job
from ...core.wearer.clearance import scale_with_clearance, settled_place
from ..messages.replies import Walls
from ..messages.requests import (
    FindCreases,
    FollowEdge,
    MeasureEdge,
    MeasureWall,
    MeasureWalls,
    ScaleToBed,
    ScaleToGuest,
    SettleGuest,
)
from .shop import Shop


class SizeAnswers:
    """Answers requests; see ``bench``."""

    def __init__(self, shop: Shop) -> None:
        self._shop = shop

    def walls(self, asked: MeasureWalls, job: Job) -> Walls:
        """Raises Cancelled."""
        pieces = self._shop.pieces(asked.plan, asked.printer, job.part(0.0, 0.5))
        behind = [thickness(piece.solid, None, job.part(0.5, 1.0)).astype(np.float32) for piece in pieces]
        least = min(thinnest(walls, piece.solid.areas) for walls, piece in zip(behind, pieces, strict=True))
        return Walls(tuple(behind), least)

    def wall_at(self, asked: MeasureWall, job: Job) -> float:
        """The thickness of the wall behind a facet of a piece, in mm. Raises Cancelled."""
        solid = self._shop.pieces(asked.plan, asked.printer, job)[asked.number].solid
        return float(thickness(solid, np.array([asked.facet]))[0])

    def edge_at(self, asked: MeasureEdge, job: Job) -> RoundEdge:
        """The round edge nearest to a point (mm, model frame). Raises BadPlan, Cancelled."""
        return round_edge(self._shop.pieces(asked.plan, asked.printer, job)[asked.number].solid, asked.place)

    def plane_at(self, asked: FollowEdge, job: Job) -> tuple[Triple, float]:
        """The unit normal and the offset (mm) of the plane along the edge nearest to a point (mm, model frame).
        Raises BadPlan, Cancelled.
        """
        try:
            normal, offset = edge_plane(
                self._shop.pieces(asked.plan, asked.printer, job.part(0.0, 0.5))[asked.number].solid, asked.place
            )
        except BadPlan as problem:
            try:  # an edge that is rounded over several facets is one on the draft mesh
                normal, offset = edge_plane(self._shop.few(asked.plan, job.part(0.5, 1.0)), asked.place)
            except BadPlan:
                raise problem from None
        return triple(normal), offset

    def creases(self, asked: FindCreases, job: Job) -> Floats:
        """The sharp edges of the uncut model, taken from its draft mesh, on which the edges of a fine surface are
        sharper. Raises Cancelled.

        Returns
        -------
        (k, 2, 3) float64, mm, model frame
        """
        return creases(self._shop.few(asked.plan, job))

    def scale_to_bed(self, asked: ScaleToBed, job: Job) -> float:
        """The factor by which the model, as it stands, can be scaled further to just fit. Raises Cancelled."""
        solid, _ = self._shop.evaluator(asked.plan).mended(asked.plan, job)
        return largest_scale(set_down(solid.vertices, asked.plan.tilt.rotation), asked.printer)

    def scale_to_guest(self, asked: ScaleToGuest, job: Job) -> float:
        """The factor by which the model must be scaled further for a guest's clearance. Raises BadPlan, Cancelled."""
        guest = asked.plan.guest(asked.guest_id)
        solid, _ = self._shop.evaluator(asked.plan).mended(asked.plan, job)
        return scale_with_clearance(solid, guest, asked.plan.factors, self._guest_model(guest), job)

    def settle_guest(self, asked: SettleGuest, job: Job) -> tuple[float, float, float]:
        """The place near its own where a guest has most room. Raises BadPlan, Cancelled."""
        guest = asked.plan.guest(asked.guest_id)
        solid, _ = self._shop.evaluator(asked.plan).mended(asked.plan, job)
        return settled_place(solid, guest, asked.plan.factors, self._guest_model(guest), job)

    def _guest_model(self, guest: Guest) -> Solid | None:
        return self._shop.guests.get(guest.model.sha256) if guest.model else None
