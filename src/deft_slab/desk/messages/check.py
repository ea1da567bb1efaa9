"""What Check asks of the worker process; see ``requests``."""

from __future__ import annotations

from dataclasses import dataclass

from ...core.inspection.findings import Inspection, SectionFace
from ...core.plan.hollow import Vent
from ...core.plan.supports import PostSet
from .replies import Light, PostsProposed
from .requests import OfPiece, OfPlan


@dataclass(frozen=True, eq=False)
class CheckPieces(OfPlan[tuple[Inspection, ...]]):
    """What there is to find of each piece.

    Attributes
    ----------
    layer : float, mm
        Thickness of the layers; None: the printer's usual one.
    """

    layer: float | None


@dataclass(frozen=True, eq=False)
class LightenPieces(OfPlan[tuple[Light | None, ...]]):
    """Each piece with few triangles; None where it has few anyway."""


@dataclass(frozen=True, eq=False)
class ProposeVents(OfPlan[tuple[Vent, ...]]):
    """Vents for a hollow, by its id."""

    hollow: str


@dataclass(frozen=True, eq=False)
class ProposePosts(OfPiece[PostsProposed]):
    """Posts for a piece besides those of a set that were placed by hand.

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
        mm over the bed.
    """

    z: float
