"""A flat cut."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar, Literal

import numpy as np
from pydantic import field_validator

from ..arrays import Floats
from ..document.base import Triple, of_length_one
from ..locale.translate import tr
from ..progress import QUIET, Job
from .kind import Cut, no_region
from .move import Move
from .reach import Picked
from .side_names import words_along

if TYPE_CHECKING:
    import manifold3d

    from ..geometry.splitting import Parted
    from ..mesh.solid import Solid


class StraightCut(Cut):
    """A cut along the plane normal . p = offset."""

    kind: Literal["straight"] = "straight"
    normal: Triple
    offset: float

    takes_off: ClassVar[bool] = False
    settles: ClassVar[bool] = True

    @field_validator("normal")
    @classmethod
    def _of_unit_length(cls, normal: Triple) -> Triple:
        return of_length_one(normal, tr("the normal of a cut"))

    def part(self, solid: Solid, picked: Picked = no_region, job: Job = QUIET) -> Parted:
        from ..geometry.splitting import Parted, split_by_body, split_by_plane, taken_over, with_something

        if self.reach is None or not self.bounded:
            ahead, behind, kerf = split_by_plane(solid, np.array(self.normal), self.offset, self.kerf / 2, self.id)
            return Parted(with_something(solid, [(1, ahead), (-1, behind)]), kerf)
        reach = self.reach
        side = self._side_with_less_wall(solid, reach.body(solid, picked, 0.0))

        def jaw(grow: float) -> manifold3d.Manifold:
            return self._ahead(solid, side, grow) ^ reach.body(solid, picked, grow)

        inside, outside, kerf = split_by_body(solid.manifold, jaw, self.kerf / 2)
        return Parted(taken_over(solid, [(side, inside), (-side, outside)], self.id, self.name), kerf)

    def _ahead(self, solid: Solid, side: int, grow: float) -> manifold3d.Manifold:
        """The half-space on a side."""
        from ..geometry.blanks import half_space

        return half_space(solid, side * np.array(self.normal), side * self.offset - grow)

    def _side_with_less_wall(self, solid: Solid, reach: manifold3d.Manifold) -> int:
        """Which side of a bounded cut comes off: the one for which less of the boundary of the reach runs through
        the solid (the jaw, and not half of the head).
        """
        from ..geometry.splitting import own_walls

        walls = {
            side: own_walls(solid, reach ^ self._ahead(solid, side, 0.0), side * np.array(self.normal),
                            side * self.offset)
            for side in (1, -1)
        }
        return 1 if walls[1] <= walls[-1] else -1

    def side_word(self, side: int, rotation: Floats) -> str:
        return words_along(rotation @ np.array(self.normal), side)

    def moved(self, move: Move) -> dict[str, Any]:
        normal, offset = move.plane(np.array(self.normal), self.offset)
        return {"normal": normal, "offset": offset}

    def planes(self) -> list[tuple[Floats, float]]:
        return [(np.array(self.normal), self.offset)]

    def way_off(self) -> Triple | None:
        return None if self.bounded else self.normal
