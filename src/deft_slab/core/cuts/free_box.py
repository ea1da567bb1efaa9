"""A box anywhere on the model, in any orientation."""

from __future__ import annotations

from pydantic import field_validator

from ..document.base import Document, Triple
from ..geometry.orientation import Tilt
from ..locale.translate import tr
from .move import Move


class PlacedBox(Document):
    """A box anywhere on the model, in any orientation.

    Attributes
    ----------
    centre : Triple
        Its centre.
    half : Triple
        Half its sides along its own axes.
    turn : Tilt
        Rotation from the model's axes to its own.
    """

    centre: Triple
    half: Triple
    turn: Tilt = Tilt()

    @field_validator("half")
    @classmethod
    def _has_size(cls, half: Triple) -> Triple:
        if min(half) < 1e-6:
            raise ValueError(tr("it must have a size along each axis"))
        return half

    def box_moved(self, move: Move) -> dict[str, object]:
        """The fields that change when the model is moved."""
        turned, half = move.box(self.turn, self.half)
        return {"centre": move.point(self.centre), "half": half, "turn": turned}
