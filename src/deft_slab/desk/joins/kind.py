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
    """Something of a join that is one way or the other.

    Attributes
    ----------
    words : Callable[[Any], str]
        What is said on it, by what it is.
    does : str
        Its tooltip.
    update : Callable[[Any], Mapping[str, Any]]
        What changes when it is pressed.
    """

    words: Callable[[Any], str]
    does: str
    update: Callable[[Any], Mapping[str, Any]]


@dataclass(frozen=True)
class Where:
    """Where a new join is put.

    Attributes
    ----------
    cut, between : str
        Whose contact.
    at : mm, model frame
    width : float, mm
        That suits the contact.
    stock : mm
        Diameters of the rods that one has.
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
    """(kind, measures) of a join: all of it that is not of its place, ready for JSON."""
    if join is None:
        return "", {}
    return join.kind, {key: value for key, value in join.model_dump(mode="json").items() if key not in _OF_PLACE}


def nearest_rod(stock: Sequence[float], wish: float, otherwise: float) -> float:
    """mm: of the rods that one has the one nearest to a wish; ``otherwise`` where one has none."""
    return min(stock, key=lambda one: abs(one - wish), default=otherwise)


class JoinOnDesk(Generic[J]):
    """Attributes
    ----------
    word : ClassVar[str]
        On its button.
    adds : ClassVar[str]
        Its tooltip.
    place : ClassVar[int]
        Of its button among the others.
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
        """A new one."""

    def fields(self, join: J) -> list[Field]:
        """What can be typed of it."""
        return []

    def sized(self, join: J, factor: float, stock: Sequence[float]) -> Mapping[str, Any]:
        """What changes of it when its handle is pulled.

        Parameters
        ----------
        factor : float
            How much wider it is to be.
        stock : mm
            Diameters of the rods that one has.
        """
        return {}

    def heading(self, join: J) -> Triple | None:
        """The direction of the model that it has across its contact; None: it has none, or the contact's own."""
        along: Triple | None = getattr(join, "along", None)
        return along

    def turns(self, join: J) -> bool:
        """Whether it can be turned about the way of its contact."""
        return False

    def turned(self, join: J, heading: Triple) -> Mapping[str, Any]:
        """What changes of it when it is turned to another direction."""
        return {"along": heading}
