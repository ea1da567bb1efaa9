"""What Hand off asks the worker process for; see ``requests``."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ...core.arrays import Bytes
from ...core.exporting.options import Handed, Wished
from ...core.exporting.paper_sizes import Paper
from ...core.plan.placements import Placement
from ...core.plan.plan import Plan
from .requests import OfPlan


@dataclass(frozen=True, eq=False)
class BedsFound:
    """The best layout found so far.

    Attributes
    ----------
    lying : tuple[Placement, ...]
        Where everything lies.
    beds, least : int
        The number of beds, and a lower bound for it.
    done : float
        How much of the search is done, as a share; 1 when it has ended.
    """

    lying: tuple[Placement, ...]
    beds: int
    least: int
    done: float


@dataclass(frozen=True, eq=False)
class NestBeds(OfPlan[BedsFound]):
    """All pieces and copies on as few beds as possible, around those that were placed by hand. Each request tries
    some more orders.

    Attributes
    ----------
    anew : bool
        Whether the search starts from the beginning.
    """

    anew: bool


@dataclass(frozen=True, eq=False)
class ShareOut(OfPlan[Plan]):
    """The plan with each piece assigned to the first or the second printer, so that everything is done soonest."""


@dataclass(frozen=True, eq=False)
class Deliver(OfPlan[list[Handed]]):
    """The files of pieces and beds, and the lists of them.

    Attributes
    ----------
    replace : bool
        Whether existing files may be replaced.
    with_posts : bool
        Whether pieces are united with their posts.
    paper : Paper | None
        The paper size of the sheet; None: no sheet.
    others : tuple of (str, Plan)
        The choices that the sheet compares this plan with.
    """

    title: str
    folder: Path
    wished: Wished
    replace: bool
    with_posts: bool
    paper: Paper | None
    others: tuple[tuple[str, Plan], ...]


@dataclass(frozen=True, eq=False)
class SheetPages:
    """The pages of a sheet.

    Attributes
    ----------
    pages : tuple[Bytes, ...]
        One (height, width) uint8 image for each.
    """

    pages: tuple[Bytes, ...]


@dataclass(frozen=True, eq=False)
class DrawSheet(OfPlan[SheetPages]):
    """The sheet of a plan for viewing. The fields are those of ``Deliver``."""

    title: str
    paper: Paper
    others: tuple[tuple[str, Plan], ...]


@dataclass(frozen=True, eq=False)
class MakeBed(OfPlan[Path]):
    """The file of one bed, to be sent.

    Attributes
    ----------
    bed : int
        The number of the bed, from 0 on.
    path : Path
        Where it is written, replacing whatever is there.
    layers : bool
        Whether it contains pictures of layers rather than bodies.
    with_posts : bool
        Whether pieces are united with their posts.
    """

    title: str
    bed: int
    path: Path
    layers: bool
    with_posts: bool
