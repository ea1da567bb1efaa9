"""Where a cut stops: at a piece, in a box, inside a drawn outline, or around a region."""

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
    """A side of a cut. For a cut that parts in two, +1 is where its normal points, or inside it, and -1 behind or
    outside it. For a block cut it is the number of the cell, and for a cut into bodies the number of the body,
    from 0 on.
    """

    cut: Name
    side: int = Field(ge=-1, le=1_000_000)


class PieceReach(Document):
    """Only the piece on these sides of earlier cuts."""

    kind: Literal["piece"] = "piece"
    sides: tuple[Side, ...]

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        """Not used: the cut applies to a piece as a whole, or not at all."""
        raise CutFailed(tr("A piece is not a place."))

    def carried(self, move: Move) -> PieceReach:
        return self


class RestReach(Document):
    """Everything except what earlier cuts have taken off: ornaments, scooped parts, patches, what was in a box."""

    kind: Literal["rest"] = "rest"

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        """Not used: the cut applies to a piece as a whole, or not at all."""
        raise CutFailed(tr("The rest is not a place."))

    def carried(self, move: Move) -> RestReach:
        return self


class BoxReach(PlacedBox):
    """Only what lies in a box."""

    kind: Literal["box"] = "box"

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        """What the cut may reach, larger all round by ``grow`` mm.

        Raises
        ------
        CutFailed
            It cannot be made.
        """
        from ..geometry.blanks import box_body

        return box_body(self.centre, self.half, self.turn, grow)

    def carried(self, move: Move) -> BoxReach:
        return self.model_copy(update=self.box_moved(move))


class OutlineReach(Document):
    """Only what lies inside a drawn outline, as seen along a direction.

    Attributes
    ----------
    points : tuple[Triple, ...]
        The outline.
    view : Triple
        The viewing direction, from the eye.
    """

    kind: Literal["outline"] = "outline"
    points: tuple[Triple, ...] = Field(min_length=3, max_length=MOST_POINTS)
    view: Triple

    @field_validator("view")
    @classmethod
    def _of_unit_length(cls, view: Triple) -> Triple:
        return of_length_one(view, tr("the view of an outline"))

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        """What the cut may reach, larger all round by ``grow`` mm.

        Raises
        ------
        CutFailed
            It cannot be made.
        """
        from ..geometry.prisms import column_within

        return column_within(solid, np.array(self.points), frame_of(np.array(self.view)), grow)

    def carried(self, move: Move) -> OutlineReach:
        return self.model_copy(update={"points": move.points(self.points), "view": move.direction(self.view)})


class RegionReach(Document):
    """Only what lies in the convex hull of a picked region of the surface, and ``margin`` mm around it."""

    kind: Literal["region"] = "region"
    region: Region
    margin: float = Field(default=2.0, gt=0, le=1000)

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        """What the cut may reach, larger all round by ``grow`` mm.

        Raises
        ------
        CutFailed
            It cannot be made.
        """
        from ..geometry.blanks import chosen, hull_around

        return hull_around(solid, chosen(picked(self.region), tr("this reach")), self.margin + grow)

    def carried(self, move: Move) -> RegionReach:
        return self.model_copy(update={"region": move.region(self.region), "margin": self.margin * move.size})


Reach = Annotated[PieceReach | RestReach | BoxReach | OutlineReach | RegionReach, Field(discriminator="kind")]
