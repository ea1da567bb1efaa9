"""The exposure of bodies and pieces, cached."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from functools import partial

import numpy as np

from ..arrays import Bools, Floats
from ..cache import Cache
from ..document.marks import Audience
from ..figures.exposure import EVERYWHERE, HIDDEN, exposure
from ..figures.piece_figures import Exposing
from ..mesh.solid import Solid
from ..parting.bodies import Part, Uncut
from ..progress import Job, Spread

DRAFT_CELLS = 96
"""Of the exposure of pieces behind their draft meshes. (The support out of reach of halves of the hollow demo models is
then mostly within 0.1 % of their support, at worst 0.7 %, of what 512 directions and the whole mesh give.)"""
_SURELY_SEEN = 1.5 * HIDDEN
"""Exposure on the uncut model from which a facet of a piece counts as within reach; with room for the coarser look."""


@dataclass(frozen=True, eq=False)
class Exposures:
    """Computes exposure, and caches it.

    Attributes
    ----------
    kept : Cache
        The cache.
    spread : Spread
        See ``progress.Spread``.
    """

    kept: Cache
    spread: Spread

    def of_source(self, uncut: Uncut, audience: Audience, job: Job) -> Floats:
        """The exposure of all triangles of the uncut model to an audience; 0 for those that are not on its skin.

        Returns
        -------
        (triangles of the uncut,) float64

        Raises
        ------
        Cancelled
            The job is no longer wanted.
        """

        def put_together() -> Floats:
            by_source = np.zeros(uncut.triangles)
            for number, group in enumerate(uncut.groups):
                share = job.part(number / len(uncut.groups), (number + 1) / len(uncut.groups))
                exposed = self.of((uncut.key, number), group.solid, share, audience)
                np.maximum.at(by_source, group.solid.origin, exposed)
            return by_source

        return self.kept.once(("by source", uncut.key, audience), put_together, uncut.triangles // 16)

    def of_piece(self, uncut: Uncut, part: Part, light: Solid, job: Job) -> Exposing:
        """A function that gives the exposure of a piece, seen from everywhere.

        Cutting only takes away what could hide something. So a facet that is seen well on the uncut model is seen on
        the piece, and only the other facets and the cut faces are examined, behind the draft mesh.

        Parameters
        ----------
        light : Solid
            The draft mesh of the piece, or the piece itself.
        """
        if light is part.solid:
            return lambda _: self.of(part.key, part.solid, job)

        def look(asked: Bools) -> Floats:
            origin = part.solid.origin
            on_model = self.of_source(uncut, EVERYWHERE, job.part(0.0, 0.5))
            asked = asked & ((origin < 0) | (on_model[np.maximum(origin, 0)] < _SURELY_SEEN))
            if not asked.any():
                return np.ones(len(origin))
            return exposure(
                part.solid, cells=DRAFT_CELLS, job=job.part(0.5, 1.0), spread=self.spread, behind=light, chosen=asked
            )

        return look

    def of(self, key: Hashable, solid: Solid, job: Job, audience: Audience = EVERYWHERE) -> Floats:
        """The exposure of the facets of a body to an audience.

        Parameters
        ----------
        key : Hashable
            Names the content of the body.

        Returns
        -------
        (m,) float64

        Raises
        ------
        Cancelled
            The job is no longer wanted.
        """
        # a narrow audience needs more directions for as many to look from
        directions = 256 if audience.looking == "everywhere" else 512
        make = partial(exposure, solid, directions, job=job, audience=audience, spread=self.spread)
        return self.kept.once(("exposure", key, audience), make, len(solid.triangles) // 16)
