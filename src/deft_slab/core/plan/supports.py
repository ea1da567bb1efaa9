"""The documents that describe support posts: where they touch and how thick they are. Their routes are computed
anew.
"""

from __future__ import annotations

import itertools

from pydantic import Field, model_validator

from ..cuts import Move, Side
from ..document.base import Document, Name, Triple, free_ids
from ..locale.translate import tr

MOST_POSTS = 20_000
SLENDER_DIAMETERS = 40.0
"""Stem diameters: a longer post is braced. Euler's load of a rod of diameter d and length l, clamped at its foot and
held at its tip, is pi^2 E I / (0.7 l)^2 with I = pi d^4 / 64 (handbook): at 40 diameters a hundredth of what it bears
at 4."""


class Post(Document):
    """One support post.

    Attributes
    ----------
    at : mm, model frame
        Where it touches the surface.
    tip, stem : float, mm
        Diameters; None: as for the whole piece.
    foot : mm, model frame
        Where it should stand, on the piece or under its seat on the bed; None: wherever it finds a way down.
    own : bool
        Whether it was placed by hand, and is kept when posts are proposed again.
    """

    id: Name
    at: Triple
    tip: float | None = Field(default=None, ge=0.05, le=5)
    stem: float | None = Field(default=None, ge=0.1, le=20)
    foot: Triple | None = None
    own: bool = False

    def carried(self, move: Move) -> Post:
        """The post on a model that was stretched, mirrored or moved."""
        foot = None if self.foot is None else move.point(self.foot)
        return self.model_copy(update={"at": move.point(self.at), "foot": foot})


class PostSet(Document):
    """The posts of a piece. The piece is recognised by its sides and by a point near its middle (mm, model frame).

    Attributes
    ----------
    tip, stem : float, mm
        Diameters.
    refused : tuple[Triple, ...]
        Places (mm, model frame) where a post was removed, and none is proposed again.
    """

    id: Name
    sides: tuple[Side, ...] = ()
    anchor: Triple
    tip: float = Field(default=0.3, ge=0.05, le=5)
    stem: float = Field(default=0.8, ge=0.1, le=20)
    posts: tuple[Post, ...] = Field(default=(), max_length=MOST_POSTS)
    refused: tuple[Triple, ...] = Field(default=(), max_length=MOST_POSTS)

    @model_validator(mode="after")
    def _ids_differ(self) -> PostSet:
        if len({post.id for post in self.posts}) != len(self.posts):
            raise ValueError(tr("two posts have the same id"))
        return self

    def carried(self, move: Move, sides: tuple[Side, ...]) -> PostSet:
        """The posts on a model that was stretched, mirrored or moved. Tips and stems keep their measures.

        Parameters
        ----------
        sides : tuple[Side, ...]
            The sides of the piece, under their new names.
        """
        posts = tuple(post.carried(move) for post in self.posts)
        return self.model_copy(update={"sides": sides, "anchor": move.point(self.anchor), "posts": posts,
                                       "refused": move.points(self.refused)})

    def fresh_ids(self, count: int) -> list[str]:
        """Ids that no post of the set has."""
        return list(itertools.islice(free_ids("p", {post.id for post in self.posts}), count))
