"""What is wished of one piece: its seat, its name, and what it is printed of, and on."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, StringConstraints

from ..cuts import Move, Side
from ..document.base import Document, Name, Triple
from ..geometry.orientation import Tilt
from ..printers.profile import Printer


class PieceSettings(Document):
    """What the user wants of one piece. The piece is found again by its sides and a point inside it (model mm).

    Attributes
    ----------
    lift : float
        mm over the bed, on support; None: as the plan says.
    material
        One of its printer's; empty: the usual one.
    second : bool
        It is printed on the second printer of the plan.
    """

    sides: tuple[Side, ...]
    anchor: Triple
    seat: Tilt | None = None
    name: Name | None = None
    lift: float | None = Field(default=None, ge=0, le=100)
    material: Annotated[str, StringConstraints(max_length=60)] = ""
    second: bool = False

    def carried(self, move: Move, sides: tuple[Side, ...]) -> PieceSettings:
        """On a model that was stretched, mirrored or moved.

        Parameters
        ----------
        sides : tuple[Side, ...]
            Those of the piece, as they are then called.
        """
        return self.model_copy(update={"sides": sides, "anchor": move.point(self.anchor)})


def made_on(wish: PieceSettings | None, printer: Printer, second: Printer | None) -> tuple[Printer, bool]:
    """(what a piece is printed on, loaded with its material, or as it usually is where it has none of that name;
    whether that is the second printer).

    Parameters
    ----------
    printer, second : Printer
        Of the plan.
    """
    own = second if wish is not None and wish.second and second is not None else printer
    if wish is not None and wish.material in own.loads:
        own = own.loaded_with(wish.material)
    return own, wish is not None and wish.second and second is not None
