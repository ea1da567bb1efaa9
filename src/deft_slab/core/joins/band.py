"""A strip, a ring or a round patch over the seam, on the outside."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ..cuts import Move
from ..locale import text
from ..locale.translate import tr
from .kind import Made, Site
from .strip import Strip

_FOLLOWS = {
    "seam": tr("along the outside of the seam"), "axis": tr("in a ring around the seam"),
    "spot": tr("as a cap over one place"),
}


class BandJoin(Strip):
    """A band that lies over the seam on the surface, a clearance away from it, and is printed separately.

    Attributes
    ----------
    follows : Literal[seam, axis, spot]
        "seam": it follows the seam. "axis": it is a ring of one radius about the direction of the contact.
        "spot": it is a round patch at the point of the seam nearest to its place, as a cap over a meeting point.
    girth : float, mm
        The girth around the printed parts at the seam, measured with a tape. The band is scaled across by
        measured / nominal; None: the parts have their nominal size.
    """

    kind: Literal["band"] = "band"
    follows: Literal["seam", "axis", "spot"] = "seam"
    girth: float | None = Field(default=None, gt=1, le=20_000)
    parts: int = Field(default=1, ge=1, le=24)

    word = tr("band")

    def build(self, site: Site) -> Made:
        from .strip_bodies import patch_over, resized_to, ring_around, strip_along

        size = {"width": self.width, "thickness": self.thickness}
        if self.follows == "spot":
            return patch_over(site, **size, name=tr("Cap"))
        if self.follows == "axis":
            made = ring_around(site, **size, name=tr("Band"))
        else:
            made = strip_along(site, **size, inner=False, parts=self.parts, name=tr("Band"))
        return made if self.girth is None else resized_to(made, site, self.girth)

    def sentence(self) -> str:
        fits = "" if self.girth is None else tr(", for a measured girth of {girth}", girth=text.length(self.girth, 1))
        return tr(
            "band {follows}, {measures}{fits}", follows=_FOLLOWS[self.follows], measures=self.measures(), fits=fits
        )

    def moved(self, move: Move) -> dict[str, Any]:
        return {**super().moved(move), "girth": None if self.girth is None else self.girth * move.size}
