"""What a scene is of."""

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
    """What a scene is of.

    Attributes
    ----------
    plan : Plan | None
        On the bed, which may not be measured yet.
    model : Model | None
        As it was opened.
    selected : int
        Number of the selected piece, -1 for none.
    walls : Walls | None
        Of the pieces, where they are coloured, and what counts as thin, mm.
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
        """Of what is measured, which there must be."""
        assert self.evaluated is not None
        return self.evaluated.outcome

    @property
    def pieces(self) -> tuple[Piece, ...]:
        return self.outcome.pieces if self.evaluated is not None else ()

    @property
    def standing(self) -> bool:
        """Whether the pieces are shown where they belong on the standing model, and not each in its own seat."""
        return self.view.in_place or self.sizing or (self.step == "Cut" and len(self.pieces) == 1)


def rooms_of(showing: SceneSubject) -> dict[str, Room]:
    """The room around each guest, where it is shown."""
    shown = showing.sizing and showing.evaluated is not None and not showing.view.as_it_came
    return showing.outcome.guests if shown else {}
