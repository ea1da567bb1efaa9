"""The seat of the selected piece, or of the model while it is whole."""

from __future__ import annotations

import numpy as np

from ...core.arrays import Floats
from ...core.document.base import Triple
from ...core.geometry.orientation import Tilt
from ...core.geometry.place_on_bed import seated_on
from ...core.locale.translate import tr
from ...core.plan.piece_settings import PieceSettings
from ...core.plan.plan import Plan
from ...core.results.outcome import Piece
from ..messages.requests import FaceRegion
from .desk import Desk
from .marks import Marker
from .pointing import ON_ONE_LINE, Pointing, plane_through
from .stale import being_made


class Seats:
    """The seat of the selected piece."""

    def __init__(self, desk: Desk, pointing: Pointing, marker: Marker) -> None:
        self._desk, self._pointing, self._marker = desk, pointing, marker
        for kind, heard in (("facet", self.on_facet), ("three", self._on_three), ("up", self._on_up),
                            ("region", self._on_region)):
            pointing.answer(kind, heard)

    @property
    def tilt(self) -> Tilt:
        """The tilt of the selected piece, as the plan has it if it is not evaluated yet; of the whole model if there
        is one piece.

        Raises
        ------
        NothingOpen
            Nothing is open.
        """
        plan, piece = self._desk.plan, self._desk.piece
        return plan.tilt if piece is None or piece.alone else self.wanted or piece.seat

    @property
    def wanted(self) -> Tilt | None:
        """The seat that the plan gives the selected piece, before it is evaluated; None if it gives none."""
        piece = self._desk.piece
        if piece is None or not self._desk.is_open:
            return None
        if piece.alone:
            return self._desk.plan.tilt
        wish = self._wish_of(piece)
        return wish.seat if wish else None

    def _wish_of(self, piece: Piece) -> PieceSettings | None:
        """The settings of a piece that are in the plan now, even if they were made after the piece was evaluated."""
        wishes = self._desk.plan.pieces
        same = [wish for wish in wishes if (wish.sides, wish.anchor) == (piece.sides, piece.anchor)]
        if same:
            return same[-1]
        return piece.wished if piece.wished in wishes else None

    def plan_with_wish(self, **wish: object) -> Plan:
        """The plan with other settings for the selected piece: seat, name, lift.

        Raises
        ------
        BadPlan
            The shown pieces are not those of the plan.
        """
        piece = self._desk.piece
        if piece is None or not self._desk.pieces_up_to_date:
            raise being_made()
        old = self._wish_of(piece)
        kept = old.model_dump(include={"seat", "name", "lift"}) if old else {}
        made = PieceSettings.model_validate({"sides": piece.sides, "anchor": piece.anchor, **kept, **wish})
        return self._desk.plan.with_wish(made, old)

    def plan_with(self, tilt: Tilt, lift: float | None = None) -> Plan:
        """The plan with another seat for the model, or for the selected piece of a model in pieces.

        Parameters
        ----------
        lift : float
            Height over the bed, in mm; None: unchanged.

        Raises
        ------
        BadPlan
            The shown pieces are not those of the plan.
        """
        plan, piece = self._desk.plan, self._desk.piece
        if not plan.recipe if piece is None else piece.alone and self._desk.pieces_up_to_date:
            return plan.changed(tilt=tilt, lift=plan.lift if lift is None else lift)
        return self.plan_with_wish(seat=tilt) if lift is None else self.plan_with_wish(seat=tilt, lift=lift)

    def set(self, did: str, tilt: Tilt, lift: float | None = None) -> None:
        self._desk.change(did, lambda: self.plan_with(tilt, lift))

    def set_lift(self, lift: float) -> None:
        self.set(tr("change the lift"), self.tilt, lift)

    def turn(self, axis: Triple, degrees: float) -> None:
        """Rotate about an axis of the bed frame."""
        self.set(tr("turn by {degrees:g}°", degrees=degrees), Tilt.turn(axis, degrees).after(self.tilt))

    def set_threshold(self, degrees: float) -> None:
        desk = self._desk
        desk.do_plan(tr("change the overhang threshold"), desk.plan.changed(threshold=degrees))

    def rename_piece(self, name: str) -> None:
        """Names the selected piece of a model in pieces."""
        piece = self._desk.piece
        if piece is not None and not piece.alone and name.strip():
            self._desk.change(tr("rename a piece"), lambda: self.plan_with_wish(name=name.strip()[:120]))

    # by pointing

    def on_facet(self, number: int, facet: int, place: Floats) -> None:
        """Seats a piece on one of its facets."""
        normal = self._desk.pieces[number].solid.normals[facet]
        self._desk.select_piece(number)
        self._pointing.end()
        self._seat_down(normal, tr("seat on a facet"))

    def _on_three(self, number: int, facet: int, place: Floats) -> None:
        points = self._pointing.collect(place, 3)
        if points is None:
            return
        self._desk.select_piece(number)
        normal = plane_through(points)
        if normal is None:
            self._desk.told.emit(ON_ONE_LINE)
            return
        inward = self._desk.pieces[number].solid.bounds.mean(axis=0) - points[0]
        self._seat_down(-normal if float(normal @ inward) > 0 else normal, tr("seat on three points"))

    def _on_up(self, number: int, facet: int, place: Floats) -> None:
        points = self._pointing.collect(place, 2)
        if points is not None:
            self._desk.select_piece(number)
            self._seat_down(points[0] - points[1], tr("turn a direction up"))

    def _on_region(self, number: int, facet: int, place: Floats) -> None:
        desk = self._desk
        desk.select_piece(number)
        self._pointing.end()
        desk.ask("ask:measure", FaceRegion(desk.plan, desk.printer, number, place, self._marker.crease),
                 done=lambda normal: self._seat_down(normal, tr("seat on a region")),
                 label=tr("Fitting a plane"))

    def _seat_down(self, down: Floats, did: str) -> None:
        """Turns the selected piece so that a direction of the model frame points down."""
        if float(np.linalg.norm(down)) < 1e-9:
            self._desk.told.emit(ON_ONE_LINE)
            return
        self.set(did, seated_on(self.tilt, down))
