"""A cut that takes off what lies in a free box."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal

from ..arrays import Floats
from ..locale.translate import tr
from .free_box import PlacedBox
from .kind import BodyCut
from .move import Move
from .reach import Picked

if TYPE_CHECKING:
    import manifold3d

    from ..mesh.solid import Solid


class BoxCut(BodyCut, PlacedBox):
    """A cut that takes off what lies in a free box."""

    kind: Literal["box"] = "box"

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        from ..geometry.blanks import box_body

        return box_body(self.centre, self.half, self.turn, grow)

    def side_word(self, side: int, rotation: Floats) -> str:
        return tr("boxed") if side == 1 else ""

    def moved(self, move: Move) -> dict[str, Any]:
        return self.box_moved(move)
