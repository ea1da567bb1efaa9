"""What a scene shows."""

from __future__ import annotations

from dataclasses import dataclass, field

from ...core.plan.model import Model
from ...core.plan.plan import Plan
from ...core.printers.profile import Printer
from ...core.results.outcome import Outcome, Piece, Room
from ..messages.replies import Evaluated, Walls
from ..state.view import View


@dataclass(frozen=True, eq=False)
class SceneSubject:
    """What a scene shows.

    Attributes
    ----------
    model : Model | None
        The model as it was opened.
    plan : Plan | None
        The plan on the bed, which may not be measured yet.
    selected : int
        The number of the selected piece; -1: none.
    walls : Walls | None
        The wall thicknesses, where pieces are coloured by them, and what counts as thin, in mm.
    """

    printer: Printer
    evaluated: Evaluated | None = None
    model: Model | None = None
    plan: Plan | None = None
    step: str = "Check"
    view: View = field(default_factory=View)
    selected: int = -1
    walls: Walls | None = None
    wall_limit: float = 0.0

    @property
    def sizing(self) -> bool:
        return self.step == "Size"

    @property
    def outcome(self) -> Outcome:
        """The measured outcome, which must exist."""
        assert self.evaluated is not None
        return self.evaluated.outcome

    @property
    def pieces(self) -> tuple[Piece, ...]:
        return self.outcome.pieces if self.evaluated is not None else ()

    @property
    def standing(self) -> bool:
        """Whether the pieces are shown in their place on the standing model, and not each in its own seat."""
        return self.view.in_place or self.sizing or (self.step == "Cut" and len(self.pieces) == 1)


def rooms_of(showing: SceneSubject) -> dict[str, Room]:
    """The room around each guest, where it is shown."""
    shown = showing.sizing and showing.evaluated is not None and not showing.view.as_it_came
    return showing.outcome.guests if shown else {}
