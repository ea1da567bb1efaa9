"""What splints and bands have in common: a strip along a seam, printed separately."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from ..cuts import Move
from ..locale import text
from ..locale.translate import tr
from .kind import Join


class Strip(Join):
    """A strip along a seam.

    Attributes
    ----------
    width : float, mm
        Its width across the seam.
    thickness : float, mm
        Its thickness. It stands out by that and the clearance.
    """

    width: float = Field(default=10.0, ge=1, le=500)
    thickness: float = Field(default=1.6, ge=0.4, le=50)

    beyond = True

    def measures(self) -> str:
        """Its size, in words."""
        return tr(
            "{width} wide and {thickness} thick",
            width=text.length(self.width, 1),
            thickness=text.length(self.thickness, 1),
        )

    def moved(self, move: Move) -> dict[str, Any]:
        return {"width": self.width * move.size, "thickness": self.thickness * move.size}
