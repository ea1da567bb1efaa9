"""What every kind of join has in the window, and the register of kinds."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar, Generic, TypeVar

from ...core.document.base import Triple
from ...core.joins import STOCK, Join
from ..fields import Field

J = TypeVar("J", bound=Join)
ON_DESK: dict[str, JoinOnDesk[Any]] = {}
"""What each kind of join has in the window, by the name of its kind."""


@dataclass(frozen=True)
class Switch:
    """A property of a join with two states.

    Attributes
    ----------
    words : Callable[[Any], str]
        The label, which depends on the state.
    does : str
        The tooltip.
    update : Callable[[Any], Mapping[str, Any]]
        The change when it is pressed.
    """

    words: Callable[[Any], str]
    does: str
    update: Callable[[Any], Mapping[str, Any]]


@dataclass(frozen=True)
class Where:
    """Where a new join is placed.

    Attributes
    ----------
    cut, between : str
        The contact.
    at : mm, model frame
        The place, in mm of the model frame.
    width : float, mm
        A width that suits the contact, in mm.
    stock : mm
        The diameters of the rods in stock, in mm.
    """

    id: str
    cut: str
    between: tuple[int, int]
    at: Triple
    width: float
    stock: Sequence[float] = STOCK

    @property
    def place(self) -> dict[str, Any]:
        """The fields that all joins have."""
        return {"id": self.id, "cut": self.cut, "between": self.between, "at": self.at}


_OF_PLACE = frozenset(("id", "kind", "on", "cut", "between", "at", "why", "along", "ridges", "pointer", "text_first",
                       "text_second", "girth"))
"""Fields of a join that no preset keeps: they are of one contact, or of what lies there."""


def measures(join: Join | None) -> tuple[str, dict[str, Any]]:
    """The kind and the measures of a join: everything that does not depend on its place, ready for JSON."""
    if join is None:
        return "", {}
    return join.kind, {key: value for key, value in join.model_dump(mode="json").items() if key not in _OF_PLACE}


def nearest_rod(stock: Sequence[float], wish: float, otherwise: float) -> float:
    """The diameter in stock nearest to a wish, in mm; ``otherwise`` where there is no stock."""
    return min(stock, key=lambda one: abs(one - wish), default=otherwise)


class JoinOnDesk(Generic[J]):
    """A kind of join in the window.

    Attributes
    ----------
    word : ClassVar[str]
        The words of its button.
    adds : ClassVar[str]
        The tooltip of the button.
    place : ClassVar[int]
        The place of the button in the row.
    """

    kind: ClassVar[str]
    word: ClassVar[str]
    adds: ClassVar[str]
    place: ClassVar[int]
    switches: ClassVar[tuple[Switch, ...]] = ()

    def __init_subclass__(cls) -> None:
        ON_DESK[cls.kind] = cls()

    @abstractmethod
    def new_join(self, where: Where) -> J:
        """A new join."""

    def fields(self, join: J) -> list[Field]:
        """The fields of a join."""
        return []

    def sized(self, join: J, factor: float, stock: Sequence[float]) -> Mapping[str, Any]:
        """The change to a join when its handle is pulled.

        Parameters
        ----------
        factor : float
            How much wider it becomes, as a multiple.
        stock : mm
            The diameters of the rods in stock, in mm.
        """
        return {}

    def heading(self, join: J) -> Triple | None:
        """The direction of the model along which the join is oriented across its contact; None: none, or the
        contact's own.
        """
        along: Triple | None = getattr(join, "along", None)
        return along

    def turns(self, join: J) -> bool:
        """Whether the join can be turned about the way of its contact."""
        return False

    def turned(self, join: J, heading: Triple) -> Mapping[str, Any]:
        """The change to a join when it is turned to another direction."""
        return {"along": heading}
