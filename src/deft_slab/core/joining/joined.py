"""Pieces with their joins."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from ..joins.reports import JoinReport
from ..parting.bodies import Part

if TYPE_CHECKING:
    from .contacts import Contact


@dataclass(frozen=True, eq=False)
class Joined:
    """Pieces with their joins.

    Attributes
    ----------
    parts : list[Part]
        The pieces, followed by what is printed apart.
    reports : dict[str, JoinReport]
        The report on each join, by its id.
    names, kinds : dict[int, str]
        Names and kinds of what is printed apart, by part number: "Loose key 2", "loose key".
    """

    parts: list[Part]
    contacts: list[Contact]
    reports: dict[str, JoinReport] = field(default_factory=dict)
    names: dict[int, str] = field(default_factory=dict)
    kinds: dict[int, str] = field(default_factory=dict)
