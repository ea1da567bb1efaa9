"""The base of all documents that are saved: immutable, validated, and convertible to JSON."""

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
    """An immutable document. It is validated, rejects unknown fields, and can be converted to JSON."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    __slots__ = ("_kept_hash",)

    def __hash__(self) -> int:
        """The hash of all fields, computed once. While the mouse moves, a plan is asked for its hash dozens of
        times; with four brushed marks each took 4 ms. Copies, and what is sent to another process, compute their
        own.
        """
        try:
            return int(object.__getattribute__(self, "_kept_hash"))
        except AttributeError:
            found = hash((type(self), *(self.__dict__[name] for name in type(self).model_fields)))
            object.__setattr__(self, "_kept_hash", found)
            return found


D = TypeVar("D", bound=Document)


def free_ids(letter: str, taken: Collection[str]) -> Iterator[str]:
    """Generate ids, made of a letter and a number, that are not taken; lowest numbers first."""
    return (f"{letter}{n}" for n in itertools.count(1) if f"{letter}{n}" not in taken)


def triple(values: Iterable[float]) -> Triple:
    """Three numbers of any type as a tuple of floats."""
    x, y, z = (float(value) for value in values)
    return x, y, z


def of_length_one(vector: Triple, what: str) -> Triple:
    """A vector scaled to length 1. One that already has that length is returned unchanged, because otherwise a
    document would change each time it is saved.

    Parameters
    ----------
    vector : Triple
        The vector.
    what : str
        What the vector is called in the error message.

    Raises
    ------
    ValueError
        The vector has length zero.
    """
    length = math.hypot(*vector)
    if length < 1e-12:
        raise ValueError(tr("{what} must not be zero", what=what))
    if abs(length - 1.0) < 1e-12:
        return vector
    return vector[0] / length, vector[1] / length, vector[2] / length


def of_kind(given: object, kinds: Mapping[str, type[D]], what: str) -> object:
    """Build a document of a registered kind from the data that was read.

    Parameters
    ----------
    given : object
        The data; anything but a mapping is returned as it is.
    kinds : Mapping[str, type[D]]
        The registered classes by their names.
    what : str
        What these are kinds of, for the error message.

    Raises
    ------
    ValueError
        There is no such kind, or the data does not fit it.
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
    """The first problem that validation found, and its place: "scale: Input should be greater than 0."."""
    problem = error.errors(include_url=False, include_input=False)[0]
    place = ".".join(str(part) for part in problem["loc"])
    return f"{place + ': ' if place else ''}{problem['msg']}."
