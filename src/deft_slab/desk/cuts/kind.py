"""What every kind of cut has on the desk, and the register of them. Plain geometry in the model frame, mm."""

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
    """What tools ask and change.

    Attributes
    ----------
    ground : Callable[[], CutContext]
        What a new cut would be put on.
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
    """A grip on its way.

    Attributes
    ----------
    start, place : (3,) float64, mm
        Where it was and where it is dragged to.
    facing : (3,) float64
        The way that the surface looks there, None beside it.
    sides : tuple[Side, ...]
        On which the piece there lies.
    """

    grip: str
    start: Floats
    place: Floats
    facing: Floats | None = None
    sides: tuple[Side, ...] = ()


class Tools(QWidget, Generic[C]):
    """What the panel of the selected cut has for one kind only."""

    def show_cut(self, cut: C) -> None:
        """Shows the figures of a cut of its kind, which is the selected one."""


class OnDesk(ABC, Generic[C]):
    """Attributes
    ----------
    kind : ClassVar[str]
        Of the cut.
    word, tip : ClassVar[str]
        What its button says.
    rank : ClassVar[int]
        Where that stands among them.
    pointed : ClassVar[str]
        What is pointed at to place one, see ``Pointing``; empty where it is placed in the middle at once.
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
        """A cut of the kind, put where it serves best.

        Parameters
        ----------
        at : (3,) float64, mm, model frame
            Where the user pointed; None where nothing is pointed at.
        """

    @abstractmethod
    def fields(self, cut: C, box: Box) -> list[Field]:
        """What can be typed of it, beside its name, kerf and reach, and what its tools show."""

    @abstractmethod
    def outline(self, cut: C, box: Box) -> Floats:
        """(k, 2, 3) segments that show where it is; none where it is shown by its own handles, or by its pieces."""

    def grips(self, cut: C, box: Box, seam: Floats) -> dict[str, Floats]:
        """(3,) places that can be dragged, by name: "middle", "size 0" to "size 2", "point 0" and so on, "cell 0 0 0",
        "border 0"; the first word decides the hint.

        Parameters
        ----------
        seam : (k, 2, 3) float64
            Segments of where it meets the surface now.
        """
        return {}

    def pulled(self, cut: C, pull: GripDrag) -> Update:
        """What changes of it when a grip is dragged."""
        raise NotImplementedError(f"a cut of kind {self.kind} has no grips")

    def way_of(self, cut: C, grip: str) -> Floats | None:
        """(3,) the unit vector that a grip only moves along; None where it moves freely."""
        return None

    def boundable(self, cut: C) -> bool:
        """Whether its reach can be set."""
        return True

    def tools(self, parts: Parts) -> Tools[C] | None:
        """What its panel has for this kind only."""
        return None


class PlacedOnDesk(OnDesk[P]):
    """A kind that lies in a box somewhere on the model."""

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
    """What the kind of a cut has on the desk."""
    return ON_DESK[cut.kind]
