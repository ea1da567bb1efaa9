"""Versions of what is kept between sessions: each kind of document has a number, and a step from each to the next."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from pydantic_core import from_json

from ..locale.translate import tr

Data = dict[str, Any]
Step = Callable[[Data], Data]

KINDS: dict[str, Versions] = {}
"""The versions of each kind of document, by what it is called."""


class NewerVersion(ValueError):
    """A document from a newer version of the program.

    Attributes
    ----------
    found
        Its version.
    known
        The last that is read.
    """

    def __init__(self, found: int, known: int) -> None:
        super().__init__(
            tr(
                "it is from a newer version (document version {found}; this one reads up to {known})",
                found=found,
                known=known,
            )
        )
        self.found, self.known = found, known


class Versions:
    """Of one kind of document.

    Attributes
    ----------
    name
        What it is called.
    now
        The version that is written.
    """

    def __init__(self, name: str, now: int) -> None:
        self.name, self.now = name, now
        self._steps: dict[int, Step] = {}
        KINDS[name] = self

    def step(self, since: int) -> Callable[[Step], Step]:
        """Registers what makes a document of a version one of the next; it must not change what it is given."""

        def register(step: Step) -> Step:
            self._steps[since] = step
            return step

        return register

    @property
    def missing(self) -> list[int]:
        """Versions from which no step leads on."""
        return [version for version in range(1, self.now) if version not in self._steps]

    def of(self, data: Data) -> int:
        """The version of a document; the first ones did not say it.

        Raises
        ------
        ValueError
            It says something else.
        """
        version = data.get("version", 1)
        if type(version) is not int or version < 1:
            raise ValueError(tr("{version!r} is no version", version=version))
        return version

    def brought_up(self, data: Data) -> Data:
        """A document as the present version has it.

        Raises
        ------
        NewerVersion
            It is from a newer one.
        ValueError
            It says no version that there can be.
        """
        version = self.of(data)
        if version > self.now:
            raise NewerVersion(version, self.now)
        for since in range(version, self.now):
            data = {**self._steps[since](data), "version": since + 1}
        return data

    def read(self, text: bytes) -> Data:
        """A document as the present version has it, from its JSON.

        Raises
        ------
        NewerVersion
            It is from a newer one.
        ValueError
            It is no JSON, no object, or says no version that there can be.
        """
        return self.brought_up(as_object(text))


def as_object(text: bytes) -> Data:
    """A JSON object. Raises ValueError."""
    data = from_json(text, allow_inf_nan=False)
    if not isinstance(data, dict):
        raise ValueError(tr("it is no object"))
    return data
