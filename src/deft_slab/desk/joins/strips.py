"""Splints and bands in the window."""

from __future__ import annotations

from ...core.joins import BandJoin, SplintJoin
from ...core.locale.translate import tr
from ..fields import Field
from .kind import JoinOnDesk, Switch, Where

_SIZE = [
    Field(tr("Width"), tr("The width across the seam."), "mm", lambda join: join.width,
          lambda join, value: {"width": value}, 1, 500, 1),
    Field(tr("Thickness"), tr("The thickness of the strip."), "mm",
          lambda join: join.thickness, lambda join, value: {"thickness": value}, 0.4, 50, 0.2),
]
_PARTS = Field(tr("Parts"), tr("How many parts each strip is printed in."), "", lambda join: join.parts,
               lambda join, value: {"parts": round(value)}, 1, 24, 1)
_GIRTH = Field(
    tr("Girth"),
    tr(
        "The girth measured with a tape around the printed parts at the seam. The band is made larger or smaller "
        "to fit. 0 means as designed."
    ),
    "mm",
    lambda join: join.girth or 0.0,
    lambda join, value: {"girth": value if value > 1 else None},
    0,
    20_000,
    1,
)
_NEXT = {"seam": tr("Make it a ring"), "axis": tr("Make it a cap"), "spot": tr("Run it along the seam")}
_FOLLOWS = {"seam": "axis", "axis": "spot", "spot": "seam"}


class SplintOnDesk(JoinOnDesk[SplintJoin]):
    kind = "splint"
    place = 5
    word = tr("Splint")
    adds = tr("Adds a strip on the inside, across the seam, which is printed separately and glued to both pieces.")

    def new_join(self, where: Where) -> SplintJoin:
        return SplintJoin(**where.place)

    def fields(self, join: SplintJoin) -> list[Field]:
        return [*_SIZE, _PARTS]


class BandOnDesk(JoinOnDesk[BandJoin]):
    kind = "band"
    place = 6
    word = tr("Band")
    adds = tr("Adds a strip, a ring or a cap on the outside, over the seam, which is printed separately.")
    switches = (
        Switch(
            lambda join: _NEXT[join.follows],
            tr(
                "Changes the band: along the seam, a ring of one radius around it, or a round cap over the nearest "
                "place of the seam."
            ),
            lambda join: {"follows": _FOLLOWS[join.follows]},
        ),
    )

    def new_join(self, where: Where) -> BandJoin:
        return BandJoin(**where.place)

    def fields(self, join: BandJoin) -> list[Field]:
        more = {"seam": [_PARTS, _GIRTH], "axis": [_GIRTH], "spot": []}
        return [*_SIZE, *more[join.follows]]
