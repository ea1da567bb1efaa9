"""Versions of saved documents: each kind has a version number, and a step from each version to the next."""

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
    """A document was saved by a newer version of the program.

    Attributes
    ----------
    found : int
        The version of the document.
    known : int
        The newest version that this program can read.
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
    """The versions of one kind of document, and the steps between them.

    Attributes
    ----------
    name : str
        What the kind is called.
    now : int
        The version that is written today.
    """

    def __init__(self, name: str, now: int) -> None:
        self.name, self.now = name, now
        self._steps: dict[int, Step] = {}
        KINDS[name] = self

    def step(self, since: int) -> Callable[[Step], Step]:
        """Register the function that brings a document from one version to the next. It must not modify its
        argument.

        Parameters
        ----------
        since : int
            The version that the function starts from.
        """

        def register(step: Step) -> Step:
            self._steps[since] = step
            return step

        return register

    @property
    def missing(self) -> list[int]:
        """The versions that have no step to the next."""
        return [version for version in range(1, self.now) if version not in self._steps]

    def of(self, data: Data) -> int:
        """The version of a document; 1 if it does not state any.

        Raises
        ------
        ValueError
            What it states cannot be a version.
        """
        version = data.get("version", 1)
        if type(version) is not int or version < 1:
            raise ValueError(tr("{version!r} is not a version", version=version))
        return version

    def brought_up(self, data: Data) -> Data:
        """A document brought up to today's version.

        Raises
        ------
        NewerVersion
            It was saved by a newer version of the program.
        ValueError
            What it states cannot be a version.
        """
        version = self.of(data)
        if version > self.now:
            raise NewerVersion(version, self.now)
        for since in range(version, self.now):
            data = {**self._steps[since](data), "version": since + 1}
        return data

    def read(self, text: bytes) -> Data:
        """A document read from JSON and brought up to today's version.

        Raises
        ------
        NewerVersion
            It was saved by a newer version of the program.
        ValueError
            It is not JSON, not an object, or states an impossible version.
        """
        return self.brought_up(as_object(text))


def as_object(text: bytes) -> Data:
    """Parse a JSON object.

    Raises
    ------
    ValueError
        The text is not JSON, or not an object.
    """
    data = from_json(text, allow_inf_nan=False)
    if not isinstance(data, dict):
        raise ValueError(tr("it is not an object"))
    return data
