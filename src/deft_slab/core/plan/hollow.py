"""The documents that describe how a piece is hollowed: the wall that stays, the lattice inside, and the vents."""

from __future__ import annotations

from pydantic import Field, field_validator, model_validator

from ..cuts import Move, Side
from ..document.base import Document, Name, Triple, of_length_one, triple
from ..locale.translate import tr

MOST_VENTS, MOST_ON_A_PIECE = 12, 200
"""Proposed for each void, unless it is said otherwise; and kept for a piece, at most."""


class Vent(Document):
    """A round hole through a wall into a void, narrower on the inside.

    Attributes
    ----------
    place : mm, model frame
        Its place on the surface.
    along : Triple
        Unit vector pointing inward.
    outer, inner : float, mm
        Its radius at the surface and at the void.
    plug : bool
        Whether a plug is made for it.
    """

    id: Name
    place: Triple
    along: Triple
    outer: float = Field(default=2.0, gt=0, le=100)
    inner: float = Field(default=1.5, gt=0, le=100)
    plug: bool = False

    @field_validator("along")
    @classmethod
    def _of_unit_length(cls, along: Triple) -> Triple:
        return of_length_one(along, tr("the direction of a vent"))

    @model_validator(mode="after")
    def _narrows(self) -> Vent:
        if self.inner > self.outer:
            raise ValueError(tr("a vent must not be wider inside, or its plug would fall through"))
        return self

    def carried(self, move: Move) -> Vent:
        """The vent on a model that was stretched, mirrored or moved. Its radii stay the same."""
        return self.model_copy(update={"place": move.point(self.place), "along": move.direction(self.along)})


class Hollow(Document):
    """A hollowed piece. The piece is recognised by its sides and by a point near its middle (mm, model frame).

    Attributes
    ----------
    wall : float, mm
        Thickness of the wall that stays.
    fineness : float, mm
        Accuracy of the inner surface; None means a quarter of the wall.
    down : Triple
        Unit vector in the model frame that pointed to the bed when the piece was hollowed.
    solid_below : float
        Height over its lowest point, in that seat, up to which the piece stays solid, in mm.
    spacing, radius : float, mm
        Spacing and radius of the rods of the lattice; None means no lattice.
    least : float, mm3
        Voids smaller than this are not made.
    gap : float
        Clearance between a plug and its hole, in mm per side.
    keyed : bool
        Plugs have a ridge, so that they fit one way round only.
    """

    id: Name
    on: bool = True
    sides: tuple[Side, ...] = ()
    anchor: Triple
    wall: float = Field(gt=0, le=100)
    fineness: float | None = Field(default=None, gt=0, le=25)
    down: Triple = (0.0, 0.0, -1.0)
    solid_below: float = Field(default=0.0, ge=0, le=1e5)
    spacing: float | None = Field(default=None, gt=0, le=1e4)
    radius: float = Field(default=1.0, gt=0, le=100)
    least: float = Field(default=100.0, ge=0, le=1e9)
    vents: tuple[Vent, ...] = Field(default=(), max_length=MOST_ON_A_PIECE)
    gap: float = Field(default=0.2, ge=0, le=5)
    keyed: bool = True

    @field_validator("down")
    @classmethod
    def _of_unit_length(cls, down: Triple) -> Triple:
        return of_length_one(down, tr("the direction down"))

    @model_validator(mode="after")
    def _makes_sense(self) -> Hollow:
        if self.fineness is not None and self.fineness > self.wall / 2:
            raise ValueError(tr("the fineness must be at most half the wall"))
        if self.spacing is not None and self.spacing <= 4 * self.radius:
            raise ValueError(tr("the spacing of a lattice must be more than two rod diameters"))
        if len({vent.id for vent in self.vents}) != len(self.vents):
            raise ValueError(tr("two vents have the same id"))
        return self

    @property
    def step(self) -> float:
        """The accuracy that the hollow is made with, in mm."""
        return self.wall / 4 if self.fineness is None else self.fineness

    def carried(self, move: Move, sides: tuple[Side, ...]) -> Hollow:
        """The hollow on a model that was stretched, mirrored or moved. Walls, rods and holes keep their measures.

        Parameters
        ----------
        sides : tuple[Side, ...]
            The sides of its piece, under their new names.
        """
        anchor = triple(move.point(self.anchor))
        vents = tuple(vent.carried(move) for vent in self.vents)
        return self.model_copy(update={"anchor": anchor, "vents": vents, "sides": sides,
                                       "down": move.direction(self.down)})

    def with_vent(self, vent: Vent) -> Hollow:
        """The hollow with a vent added, or replaced if one has the same id."""
        if any(one.id == vent.id for one in self.vents):
            vents = tuple(vent if one.id == vent.id else one for one in self.vents)
        else:
            vents = (*self.vents, vent)
        return self.model_copy(update={"vents": vents})
