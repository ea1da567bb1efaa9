"""What every kind of cut has in the window, and the register of kinds. Plain geometry in mm of the model frame."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ClassVar, Generic, TypeVar

import numpy as np
from PySide6.QtWidgets import QWidget

from ...core.arrays import Floats
from ...core.cuts import BoxCut, Cut, ScoopCut, Side
from ...core.document.base import triple
from ..fields import PLACED, Field, Update, replaced
from ..state.cut_search import CutSearch
from ..state.cuts import Cutting
from ..state.desk import Desk
from ..state.marks import Marker
from ..state.pointing import Pointing
from ..state.snap_edges import Snapping
from .context import CutContext

C = TypeVar("C", bound=Cut)
P = TypeVar("P", BoxCut, ScoopCut)

ON_DESK: dict[str, OnDesk[Any]] = {}
"""What each kind of cut has on the desk, by the name of its kind."""

Box = tuple[Floats, Floats]
"""(low, high) of the pieces, mm, model frame."""


@dataclass(frozen=True)
class Parts:
    """What the tools of a cut ask and change.

    Attributes
    ----------
    ground : Callable[[], CutContext]
        What a new cut would need to know.
    """

    desk: Desk
    cutting: Cutting
    search: CutSearch
    snapping: Snapping
    ground: Callable[[], CutContext]
    marker: Marker
    pointing: Pointing


@dataclass(frozen=True, eq=False)
class GripDrag:
    """A grip that is being dragged.

    Attributes
    ----------
    start, place : (3,) float64, mm
        Where the grip was, and where it is dragged to, in mm.
    facing : (3,) float64
        The direction in which the surface faces there; None beside the surface.
    sides : tuple[Side, ...]
        The sides on which the piece there lies.
    """

    grip: str
    start: Floats
    place: Floats
    facing: Floats | None = None
    sides: tuple[Side, ...] = ()


class Tools(QWidget, Generic[C]):
    """What the panel of the selected cut has for one kind only."""

    def show_cut(self, cut: C) -> None:
        """Show the figures of the selected cut."""


class OnDesk(ABC, Generic[C]):
    """A kind of cut in the window.

    Attributes
    ----------
    kind : ClassVar[str]
        The kind of cut.
    word, tip : ClassVar[str]
        The words of its button.
    rank : ClassVar[int]
        The place of the button in the row.
    pointed : ClassVar[str]
        What the user points at to place one, see ``Pointing``; empty: the cut is placed in the middle at once.
    """

    kind: ClassVar[str]
    word: ClassVar[str]
    tip: ClassVar[str]
    rank: ClassVar[int]
    pointed: ClassVar[str] = ""

    def __init_subclass__(cls, **_: Any) -> None:
        if "kind" in cls.__dict__:
            ON_DESK[cls.kind] = cls()

    @abstractmethod
    def placed(self, ground: CutContext, at: Floats | None) -> C:
        """A new cut of the kind, placed where it is most useful.

        Parameters
        ----------
        at : (3,) float64, mm, model frame
            Where the user pointed, (3,) in mm of the model frame; None where nothing is pointed at.
        """

    @abstractmethod
    def fields(self, cut: C, box: Box) -> list[Field]:
        """The fields of the cut, besides its name, kerf and reach and what its tools show."""

    @abstractmethod
    def outline(self, cut: C, box: Box) -> Floats:
        """Segments (k, 2, 3) that show the cut; none for a cut that is shown by its own handles or by its pieces."""

    def grips(self, cut: C, box: Box, seam: Floats) -> dict[str, Floats]:
        """The places (3,) that can be dragged, by name: "middle", "size 0" to "size 2", "point 0" and so on, "cell 0
        0 0", "border 0". The first word decides the hint.

        Parameters
        ----------
        seam : (k, 2, 3) float64
            Segments (k, 2, 3) of the present intersection with the surface.
        """
        return {}

    def pulled(self, cut: C, pull: GripDrag) -> Update:
        """The change to the cut when a grip is dragged."""
        raise NotImplementedError(f"a cut of kind {self.kind} has no grips")

    def way_of(self, cut: C, grip: str) -> Floats | None:
        """The unit vector (3,) along which a grip moves; None where it moves freely."""
        return None

    def boundable(self, cut: C) -> bool:
        """Whether the reach of the cut can be set."""
        return True

    def tools(self, parts: Parts) -> Tools[C] | None:
        """What the panel has for this kind only."""
        return None


class PlacedOnDesk(OnDesk[P]):
    """A kind that occupies a box somewhere on the model."""

    def fields(self, cut: P, box: Box) -> list[Field]:
        return PLACED

    def grips(self, cut: P, box: Box, seam: Floats) -> dict[str, Floats]:
        middle = np.array(cut.centre)
        ends = {f"size {k}": middle + cut.half[k] * cut.turn.rotation[k] for k in range(3)}
        return {"middle": middle, **ends}

    def pulled(self, cut: P, pull: GripDrag) -> Update:
        if pull.grip == "middle":
            return {"centre": triple(pull.place)}
        number = int(pull.grip.split()[1])
        along = float((pull.place - np.array(cut.centre)) @ cut.turn.rotation[number])
        return {"half": replaced(cut.half, number, max(abs(along), 0.5))}


def on_desk(cut: C) -> OnDesk[C]:
    """What the kind of a cut has in the window."""
    return ON_DESK[cut.kind]
