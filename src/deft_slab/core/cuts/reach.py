"""Where a cut stops: a piece, a box, within a drawn outline, around a region."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Annotated, Literal

import numpy as np
from pydantic import Field, field_validator

from ..arrays import Bools
from ..document.base import Document, Name, Triple, of_length_one
from ..document.marks import Region
from ..errors import CutFailed
from ..geometry.curves import frame_of
from ..locale.translate import tr
from .free_box import PlacedBox
from .move import Move

if TYPE_CHECKING:
    import manifold3d

    from ..mesh.solid import Solid

Picked = Callable[[Region], Bools]
"""Gives (m,) the facets of the solid that is cut which a region takes."""

MOST_POINTS = 400


class Side(Document):
    """A side of a cut. Of one that parts in two: +1 where its normal points to, or inside it; -1 behind or outside it.
    Of a block cut: the number of the cell; of a cut into bodies: the number of the body; from 0 on.
    """

    cut: Name
    side: int = Field(ge=-1, le=1_000_000)


class PieceReach(Document):
    """Only the piece that lies on these sides of earlier cuts."""

    kind: Literal["piece"] = "piece"
    sides: tuple[Side, ...]

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        """Not a place: the cut meets a piece as a whole, or not at all."""
        raise CutFailed(tr("A piece is no place."))

    def carried(self, move: Move) -> PieceReach:
        return self


class RestReach(Document):
    """All but what earlier cuts have taken off: ornaments, scooped parts, patches, what was in a box."""

    kind: Literal["rest"] = "rest"

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        """Not a place: the cut meets a piece as a whole, or not at all."""
        raise CutFailed(tr("The rest is no place."))

    def carried(self, move: Move) -> RestReach:
        return self


class BoxReach(PlacedBox):
    """Only what lies in a box."""

    kind: Literal["box"] = "box"

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        """What the cut may reach, ``grow`` mm larger all round. Raises CutFailed."""
        from ..geometry.blanks import box_body

        return box_body(self.centre, self.half, self.turn, grow)

    def carried(self, move: Move) -> BoxReach:
        return self.model_copy(update=self.box_moved(move))


class OutlineReach(Document):
    """Only what lies within a drawn outline, seen along a direction.

    Attributes
    ----------
    points : tuple[Triple, ...]
        Of the outline.
    view : Triple
        From the eye.
    """

    kind: Literal["outline"] = "outline"
    points: tuple[Triple, ...] = Field(min_length=3, max_length=MOST_POINTS)
    view: Triple

    @field_validator("view")
    @classmethod
    def _of_unit_length(cls, view: Triple) -> Triple:
        return of_length_one(view, tr("the view of an outline"))

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        """What the cut may reach, ``grow`` mm larger all round. Raises CutFailed."""
        from ..geometry.prisms import column_within

        return column_within(solid, np.array(self.points), frame_of(np.array(self.view)), grow)

    def carried(self, move: Move) -> OutlineReach:
        return self.model_copy(update={"points": move.points(self.points), "view": move.direction(self.view)})


class RegionReach(Document):
    """Only what lies in the hull of a picked region of the surface, and ``margin`` mm around it."""

    kind: Literal["region"] = "region"
    region: Region
    margin: float = Field(default=2.0, gt=0, le=1000)

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        """What the cut may reach, ``grow`` mm larger all round. Raises CutFailed."""
        from ..geometry.blanks import chosen, hull_around

        return hull_around(solid, chosen(picked(self.region), tr("this reach")), self.margin + grow)

    def carried(self, move: Move) -> RegionReach:
        return self.model_copy(update={"region": move.region(self.region), "margin": self.margin * move.size})


Reach = Annotated[PieceReach | RestReach | BoxReach | OutlineReach | RegionReach, Field(discriminator="kind")]
