"""A cut along a smooth sheet through a line drawn on the model."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator, model_validator

from ..arrays import Floats
from ..document.base import Triple, of_length_one
from ..errors import CutFailed
from ..locale.translate import tr
from ..progress import QUIET, Job
from .kind import BodyCut, no_region
from .move import Move
from .reach import MOST_POINTS, Picked
from .side_names import words_along

if TYPE_CHECKING:
    import manifold3d

    from ..geometry.splitting import Parted
    from ..mesh.solid import Solid


class BentCut(BodyCut):
    """A cut along a smooth sheet through a line drawn on the model.

    Attributes
    ----------
    line : tuple[Triple, ...]
        The points of the line.
    closed : bool
        Whether the line is a loop around a limb that the sheet spans. Otherwise the sheet continues along
        ``view``, away from the eye, and beyond both ends of the line.
    splay : float, degrees
        By how much the sheet leans off the view, all along the line.
    smooth : float
        0 keeps corners, 1 rounds them most.
    """

    kind: Literal["bent"] = "bent"
    line: tuple[Triple, ...] = Field(min_length=2, max_length=MOST_POINTS)
    view: Triple = (0.0, 1.0, 0.0)
    closed: bool = False
    splay: float = Field(default=0.0, ge=-60, le=60)
    smooth: float = Field(default=1.0, ge=0, le=1)

    takes_off: ClassVar[bool] = False
    settles: ClassVar[bool] = True

    @field_validator("view")
    @classmethod
    def _of_unit_length(cls, view: Triple) -> Triple:
        return of_length_one(view, tr("the view of a bent cut"))

    @model_validator(mode="after")
    def _is_a_line(self) -> BentCut:
        if self.closed and len(self.line) < 3:
            raise ValueError(tr("a loop needs at least three points"))
        return self

    def part(self, solid: Solid, picked: Picked = no_region, job: Job = QUIET) -> Parted:
        if not self.closed:
            return super().part(solid, picked, job)
        from ..geometry.limb_loops import around_limb, bridge, off_surface
        from ..geometry.smooth_sheets import Loop
        from ..geometry.splitting import Parted

        loop = Loop(np.array(self.line), self.smooth, self.name)
        try:
            limbs, kerf = around_limb(solid, loop, self.kerf, self.id)
        except CutFailed:
            parted = off_surface(solid, loop, self.kerf, self.id)
            if parted is None:
                raise
            return parted
        if len(limbs) > 1:
            return Parted(limbs, kerf)
        return off_surface(solid, loop, self.kerf, self.id) or Parted(limbs, kerf, bridge(solid, loop))

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        from ..geometry.smooth_sheets import sheet_body

        line, view = np.array(self.line), np.array(self.view)
        return sheet_body(line, view, self.smooth, self.splay, solid.vertices, grow, self.name)

    def side_word(self, side: int, rotation: Floats) -> str:
        if self.closed:
            return tr("limb of the") if side == 1 else ""
        along = np.array(self.line[-1]) - np.array(self.line[0])
        return words_along(rotation @ np.cross(np.array(self.view), along), side)

    def moved(self, move: Move) -> dict[str, Any]:
        # in a mirror left is right: the line is walked the other way, and its left side stays the side +1
        line = tuple(reversed(self.line)) if move.mirrors else self.line
        return {"line": move.points(line), "view": move.direction(self.view)}

    def why_not(self) -> str:
        if self.closed:
            return tr("does not cut all the way through: a bridge of material is left around its loop")
        return super().why_not()
