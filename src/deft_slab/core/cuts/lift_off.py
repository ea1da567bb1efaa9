"""A cut that takes a raised ornament off at its foot."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal

import numpy as np
from pydantic import Field, field_validator

from ..arrays import Floats
from ..document.base import Triple, of_length_one
from ..document.marks import Region
from ..locale.translate import tr
from .kind import BodyCut
from .move import Move
from .reach import Picked

if TYPE_CHECKING:
    import manifold3d

    from ..mesh.solid import Solid


class LiftOffCut(BodyCut):
    """A cut that takes a raised ornament off at its foot.

    Attributes
    ----------
    region : Region
        The surface of the ornament.
    pocket : float, mm
        How far it goes into the body; 0 for a flat back at the foot.
    direction : Triple | None
        The direction in which it is lifted; None: the one that its region faces as a whole.
    """

    kind: Literal["lift-off"] = "lift-off"
    region: Region
    pocket: float = Field(default=0.0, ge=0, le=100)
    direction: Triple | None = None

    @field_validator("direction")
    @classmethod
    def _of_unit_length(cls, direction: Triple | None) -> Triple | None:
        return None if direction is None else of_length_one(direction, tr("the direction of a lift-off cut"))

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        """Everything above the foot of the ornament, within its outline as seen along the direction in which it is
        lifted.
        """
        from ..geometry.blanks import chosen
        from ..geometry.prisms import lifted_off

        facets = chosen(picked(self.region), self.name)
        direction = None if self.direction is None else np.array(self.direction)
        return lifted_off(solid, facets, direction, self.pocket, grow, self.name)

    def side_word(self, side: int, rotation: Floats) -> str:
        return tr("lifted") if side == 1 else ""

    def moved(self, move: Move) -> dict[str, Any]:
        along = {} if self.direction is None else {"direction": move.direction(self.direction)}
        return {"region": move.region(self.region), "pocket": self.pocket * move.size, **along}
