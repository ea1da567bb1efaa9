"""What Check asks the worker process for; see ``requests``."""

from __future__ import annotations

from dataclasses import dataclass

from ...core.inspection.findings import Inspection, SectionFace
from ...core.plan.hollow import Vent
from ...core.plan.supports import PostSet
from .replies import Light, PostsProposed
from .requests import OfPiece, OfPlan


@dataclass(frozen=True, eq=False)
class CheckPieces(OfPlan[tuple[Inspection, ...]]):
    """The check of each piece.

    Attributes
    ----------
    layer : float, mm
        The layer thickness; None: the printer's usual one.
    """

    layer: float | None


@dataclass(frozen=True, eq=False)
class LightenPieces(OfPlan[tuple[Light | None, ...]]):
    """Each piece simplified; None for one that has few triangles anyway."""


@dataclass(frozen=True, eq=False)
class ProposeVents(OfPlan[tuple[Vent, ...]]):
    """Vents for a hollow, given its id."""

    hollow: str


@dataclass(frozen=True, eq=False)
class ProposePosts(OfPiece[PostsProposed]):
    """Posts for a piece, besides those of a set that were placed by hand.

    Attributes
    ----------
    layer : float
        As for ``CheckPieces``.
    """

    posts: PostSet
    layer: float | None


@dataclass(frozen=True, eq=False)
class CutSection(OfPlan[tuple[SectionFace, ...]]):
    """The exact sections of all pieces at a height.

    Attributes
    ----------
    z : float
        Height over the bed, in mm.
    """

    z: float
