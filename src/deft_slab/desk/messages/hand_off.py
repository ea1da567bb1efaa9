"""What Hand off asks of the worker process; see ``requests``."""

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
    """Attributes
    ----------
    lying : tuple[Placement, ...]
        Where all lies, the best so far.
    beds, least : int
        How many that are, and at least must be.
    done : float
        Share of what is tried, 1 when nothing more is.
    """

    lying: tuple[Placement, ...]
    beds: int
    least: int
    done: float


@dataclass(frozen=True, eq=False)
class NestBeds(OfPlan[BedsFound]):
    """All pieces and copies laid on as few beds as it takes, around those that the plan has put by hand; each time
    that it is asked some orders more are tried.

    Attributes
    ----------
    anew : bool
        Begins from nothing.
    """

    anew: bool


@dataclass(frozen=True, eq=False)
class ShareOut(OfPlan[Plan]):
    """The plan, with each piece on the first or the second printer, so that all is done soonest."""


@dataclass(frozen=True, eq=False)
class Deliver(OfPlan[list[Handed]]):
    """Files of pieces and beds, and the lists of them.

    Attributes
    ----------
    replace : bool
        Whether files of these names may be replaced.
    with_posts : bool
        Pieces in one body with their posts.
    paper : Paper | None
        Of the sheet that is written too, None for none.
    others : (name, plan)
        Of the choices that it compares this one with.
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
    """Attributes
    ----------
    pages : tuple[Bytes, ...]
        Of the sheet, (height, width) uint8 each, as they are shown.
    """

    pages: tuple[Bytes, ...]


@dataclass(frozen=True, eq=False)
class DrawSheet(OfPlan[SheetPages]):
    """The sheet of a plan, to be looked at. The rest is as for ``Deliver``"""

    title: str
    paper: Paper
    others: tuple[tuple[str, Plan], ...]


@dataclass(frozen=True, eq=False)
class MakeBed(OfPlan[Path]):
    """A file of one bed, to be sent.

    Attributes
    ----------
    bed : int
        Its number, from 0 on.
    path : Path
        Where it is put, whatever is there.
    layers : bool
        As pictures, and not as bodies.
    with_posts : bool
        Pieces in one body with their posts.
    """

    title: str
    bed: int
    path: Path
    layers: bool
    with_posts: bool
