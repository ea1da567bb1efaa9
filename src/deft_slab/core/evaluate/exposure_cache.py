"""Exposure of bodies and pieces, made once."""

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
    """Attributes
    ----------
    kept : Cache
        Where they are.
    spread : Spread
        See ``progress.Spread``.
    """

    kept: Cache
    spread: Spread

    def of_source(self, uncut: Uncut, audience: Audience, job: Job) -> Floats:
        """(triangles of the uncut,) exposure to the audience on the uncut model; 0 for what is not on its skin.
        Raises Cancelled.
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
        """Gives the exposure of a piece from everywhere.

        What is taken away by cuts hides nothing any more: a facet that is seen well enough on the uncut model is seen
        on the piece, and only the others and cut faces are looked at, behind the draft mesh.

        Parameters
        ----------
        light : Solid
            Its draft mesh, or itself.
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
        """(m,) of the facets of a body, to an audience.

        Parameters
        ----------
        key : Hashable
            Names its content.

        Raises
        ------
        Cancelled
            The job is no longer wanted.
        """
        # a narrow audience needs more directions for as many to look from
        directions = 256 if audience.looking == "everywhere" else 512
        make = partial(exposure, solid, directions, job=job, audience=audience, spread=self.spread)
        return self.kept.once(("exposure", key, audience), make, len(solid.triangles) // 16)
