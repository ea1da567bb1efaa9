"""What all documents share: frozen, validated, JSON-able."""

from __future__ import annotations

import itertools
import math
from collections.abc import Collection, Iterable, Iterator, Mapping
from typing import Annotated, TypeVar

from pydantic import AfterValidator, BaseModel, ConfigDict, StringConstraints, ValidationError

from ..locale.text import harmless
from ..locale.translate import tr

Triple = tuple[float, float, float]
Name = Annotated[str, StringConstraints(min_length=1, max_length=120), AfterValidator(harmless)]
"""What somebody has called something; it comes from files too, and goes into tables, pages and the terminal."""


class Document(BaseModel):
    """A frozen document: validated, nothing in it that is not known, JSON-able."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    __slots__ = ("_kept_hash",)

    def __hash__(self) -> int:
        """Of all fields; worked out once, for a plan with four brushed marks is asked for its hash dozens of times
        while the mouse moves, at 4 ms each. Copies and what travels to another process work out their own.
        """
        try:
            return int(object.__getattribute__(self, "_kept_hash"))
        except AttributeError:
            found = hash((type(self), *(self.__dict__[name] for name in type(self).model_fields)))
            object.__setattr__(self, "_kept_hash", found)
            return found


D = TypeVar("D", bound=Document)


def free_ids(letter: str, taken: Collection[str]) -> Iterator[str]:
    """Ids of a letter and a number that are not taken, the lowest first."""
    return (f"{letter}{n}" for n in itertools.count(1) if f"{letter}{n}" not in taken)


def triple(values: Iterable[float]) -> Triple:
    """Three numbers of any kind as plain ones."""
    x, y, z = (float(value) for value in values)
    return x, y, z


def of_length_one(vector: Triple, what: str) -> Triple:
    """The same direction at length 1; as it is if it has that already, or a document would change by being saved.

    Raises
    ------
    ValueError
        It has no length.
    """
    length = math.hypot(*vector)
    if length < 1e-12:
        raise ValueError(tr("{what} must not be zero", what=what))
    if abs(length - 1.0) < 1e-12:
        return vector
    return vector[0] / length, vector[1] / length, vector[2] / length


def of_kind(given: object, kinds: Mapping[str, type[D]], what: str) -> object:
    """A document of a registered kind, from what was read of it.

    Parameters
    ----------
    kinds : Mapping[str, type[D]]
        By their names.
    what : str
        They are kinds of.

    Raises
    ------
    ValueError
        There is no such kind, or it is not like that.
    """
    if not isinstance(given, Mapping):
        return given
    kind = kinds.get(str(given.get("kind")))
    if kind is None:
        raise ValueError(tr("there is no kind of {what} {kind!r}", what=what, kind=given.get("kind")))
    try:
        return kind.model_validate(given)
    except ValidationError as error:
        raise ValueError(first_problem(error)) from error


def first_problem(error: ValidationError) -> str:
    """What is wrong first of all, and where: "scale: Input should be greater than 0."."""
    problem = error.errors(include_url=False, include_input=False)[0]
    place = ".".join(str(part) for part in problem["loc"])
    return f"{place + ': ' if place else ''}{problem['msg']}."
