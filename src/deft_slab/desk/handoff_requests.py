"""What Hand off asks of the worker process; see ``requests``."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ..core.handoff.delivery import Handed, Wished
from ..core.lying import Lying
from .requests import OfPlan


@dataclass(frozen=True, eq=False)
class NestBeds(OfPlan[tuple[Lying, ...]]):
    """All pieces and copies laid on as few beds as it takes, around those that the plan has put by hand."""


@dataclass(frozen=True, eq=False)
class Deliver(OfPlan[list[Handed]]):
    """Files of pieces and beds, and the lists of them. replace : whether files of these names may be replaced
    with_posts : pieces in one body with their posts"""

    title: str
    folder: Path
    wished: Wished
    replace: bool
    with_posts: bool
