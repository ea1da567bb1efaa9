"""A cut that makes each connected body a piece of its own."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar, Literal

from ..arrays import Floats
from ..locale.translate import tr
from ..progress import QUIET, Job
from .kind import Cut, no_region
from .move import Move
from .reach import Picked

if TYPE_CHECKING:
    from ..geometry.splitting import Parted
    from ..mesh.solid import Solid


class BodiesCut(Cut):
    """A cut that makes each connected body a piece of its own."""

    kind: Literal["bodies"] = "bodies"

    two_sided: ClassVar[bool] = False

    def part(self, solid: Solid, picked: Picked = no_region, job: Job = QUIET) -> Parted:
        from ..geometry.bodies import bodies_of
        from ..geometry.splitting import Parted

        bodies = bodies_of(solid)
        return Parted(list(enumerate(bodies)) if len(bodies) > 1 else [(0, solid)], 0.0)

    def side_word(self, side: int, rotation: Floats) -> str:
        return tr("body {side}", side=side + 1) if side >= 0 else ""

    def moved(self, move: Move) -> dict[str, Any]:
        return {}

    def why_not(self) -> str:
        return tr("finds only one body")
