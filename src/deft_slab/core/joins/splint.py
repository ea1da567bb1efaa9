"""A strip on the inside, across the seam, for shells whose wall is too thin for a key or a lap."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ..locale.translate import tr
from .kind import Made, Site
from .strip import Strip


class SplintJoin(Strip):
    """A strip that follows the seam on the inside, with half of its width on either side, and is printed separately.

    Attributes
    ----------
    parts : int
        The number of parts that it is printed in.
    """

    kind: Literal["splint"] = "splint"
    parts: int = Field(default=1, ge=1, le=24)

    word = tr("splint")

    def build(self, site: Site) -> Made:
        from .strip_bodies import strip_along

        return strip_along(site, inner=True, width=self.width, thickness=self.thickness, parts=self.parts,
                           name=tr("Splint"))

    def sentence(self) -> str:
        whole = tr("in one part") if self.parts == 1 else tr("in {parts} parts", parts=self.parts)
        return tr("splint along the inside of the seam, {measures}, {whole}", measures=self.measures(), whole=whole)
