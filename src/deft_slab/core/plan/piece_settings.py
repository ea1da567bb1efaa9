"""The user's settings for one piece: its seat, its name, its printer and its material."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, StringConstraints

from ..cuts import Move, Side
from ..document.base import Document, Name, Triple
from ..geometry.orientation import Tilt
from ..printers.profile import Printer


class PieceSettings(Document):
    """The user's settings for one piece. The piece is recognised by its sides and by a point inside it (mm, model
    frame).

    Attributes
    ----------
    lift : float
        Height over the bed in mm, on support; None means the plan's.
    material : str
        A material of its printer; empty means the usual one.
    second : bool
        Whether it is printed on the second printer of the plan.
    """

    sides: tuple[Side, ...]
    anchor: Triple
    seat: Tilt | None = None
    name: Name | None = None
    lift: float | None = Field(default=None, ge=0, le=100)
    material: Annotated[str, StringConstraints(max_length=60)] = ""
    second: bool = False

    def carried(self, move: Move, sides: tuple[Side, ...]) -> PieceSettings:
        """The settings on a model that was stretched, mirrored or moved.

        Parameters
        ----------
        sides : tuple[Side, ...]
            The sides of the piece, under their new names.
        """
        return self.model_copy(update={"sides": sides, "anchor": move.point(self.anchor)})


def made_on(wish: PieceSettings | None, printer: Printer, second: Printer | None) -> tuple[Printer, bool]:
    """The printer that a piece is printed on, loaded with the piece's material. A printer without that material is
    loaded with its usual one.

    Parameters
    ----------
    printer, second : Printer
        The first and the second printer of the plan.

    Returns
    -------
    Printer, bool
        The printer, and whether it is the second one.
    """
    own = second if wish is not None and wish.second and second is not None else printer
    if wish is not None and wish.material in own.loads:
        own = own.loaded_with(wish.material)
    return own, wish is not None and wish.second and second is not None
