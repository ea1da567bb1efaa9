"""A cut that takes a marked patch of the surface off along a smooth face."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..document.marks import Stroke
from ..locale.translate import tr
from .kind import BodyCut
from .move import Move
from .reach import Picked
from .side_names import words_along

if TYPE_CHECKING:
    import manifold3d

    from ..mesh.solid import Solid

MOST_STROKES = 500


class PatchCut(BodyCut):
    """A cut that takes a marked patch of the surface off along the smooth face that its border spans.

    Attributes
    ----------
    strokes : tuple[Stroke, ...]
        The marked patch.
    depth : float
        How deep the face lies: 0 is its middle position, 1 the surface behind it, -1 the patch itself.
    flat : float
        How much of the face is flat around its middle, as a share.
    """

    kind: Literal["patch"] = "patch"
    strokes: tuple[Stroke, ...] = Field(min_length=1, max_length=MOST_STROKES)
    depth: float = Field(default=0.0, ge=-0.9, le=0.9)
    flat: float = Field(default=0.0, ge=0, le=0.9)

    settles: ClassVar[bool] = True

    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        import manifold3d

        from ..geometry.harmonic_face import StrokePatch, patch_body

        taken = tuple(picked(stroke) for stroke in self.strokes)
        found = patch_body(StrokePatch(solid, self.strokes, taken), self.depth, self.flat, grow, self.name)
        return manifold3d.Manifold() if found is None else found

    def side_word(self, side: int, rotation: Floats) -> str:
        facing = self.strokes[0].facing
        if side != 1:
            return ""
        return (
            tr("{side} patch", side=words_along(rotation @ np.array(facing).mean(axis=0), 1)) if facing else tr("patch")
        )

    def moved(self, move: Move) -> dict[str, Any]:
        return {"strokes": tuple(move.region(stroke) for stroke in self.strokes)}

    def why_not(self) -> str:
        return tr("takes nothing of these pieces, or a whole piece: mark only a part of the surface")
