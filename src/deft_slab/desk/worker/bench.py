"""Answers requests. For each type of request there is one public method, found by the type of its parameter."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar, get_type_hints

from ...core.progress import Job
from ..messages.requests import Request
from .beds import BedAnswers
from .checks import CheckAnswers
from .cuts import CutAnswers
from .files import FileAnswers
from .joins import JoinAnswers
from .recipes import RecipeAnswers
from .shop import Shop
from .sizes import SizeAnswers
from .tilts import TiltAnswers

R = TypeVar("R")
PARTS = (FileAnswers, SizeAnswers, TiltAnswers, CutAnswers, JoinAnswers, CheckAnswers, BedAnswers, RecipeAnswers)


class Bench:
    """Answers all requests."""

    def __init__(self) -> None:
        self._shop = Shop()
        self._parts = {part: part(self._shop) for part in PARTS}

    def close(self) -> None:
        """End its threads."""
        self._shop.close()

    def answer(self, asked: Request[R], job: Job) -> R:
        """The reply to a request. Raises what the method for the request raises."""
        part, method = _ANSWERS[type(asked)]
        found: R = method(self._parts[part], asked, job)
        return found


def answers() -> dict[type[Request[Any]], tuple[type[Any], Callable[..., Any]]]:
    """For each type of request, the class and the method that answer it."""
    found = {}
    for part in PARTS:
        for name, method in vars(part).items():
            asked = get_type_hints(method).get("asked") if not name.startswith("_") and callable(method) else None
            if isinstance(asked, type) and issubclass(asked, Request):
                found[asked] = part, method
    return found


_ANSWERS = answers()
