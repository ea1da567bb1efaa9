"""Keys that follow the outline of their contact, whatever its shape.

The outline at each height is the one of the tip with a disc rolled around it: the higher, the smaller the disc. So all
sides lean alike, and a socket is the same with a larger disc. (Minkowski sum of a prism and a cone, made as the union
of the hulls of the triangles of the tip.)
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import manifold3d
import numpy as np
import shapely

from ..arrays import Floats
from ..errors import JoinFailed
from ..locale.translate import tr
from .kind import AROUND, OUTER
from .profile import whole

_PLAIN = 0.05
"""mm by which an outline may be made plainer before it is followed."""
_LEAST = 0.3
"""mm: half of what is left of the narrowest tip."""


@dataclass(frozen=True, eq=False)
class Followed:
    """Attributes
    ----------
    tip : mm
        About a place.
    deepest : float, mm
        From the outline at the contact to that of the tip.
    depth : float, mm
        Half of how wide it is at its widest.
    """

    tip: shapely.Polygon
    deepest: float
    depth: float

    @classmethod
    def within(cls, part: shapely.Polygon, inset: float, deepest: float) -> Followed:
        """Of a part of a contact, drawn in by ``inset`` mm. Raises JoinFailed: nothing is left."""
        drawn_in = part.buffer(-inset)
        tips = [one for one in shapely.get_parts(drawn_in.buffer(-deepest - _LEAST)) if one.area > 0]
        if not tips:
            raise JoinFailed(tr("The contact is too narrow for a key along its outline."),
                             remedy=tr("Draw it in less, or make it lower or its draft less."))
        tip = max(tips, key=lambda one: float(one.area)).buffer(_LEAST).simplify(_PLAIN)
        largest = shapely.maximum_inscribed_circle(drawn_in, tolerance=0.1).length
        return cls(tip, deepest, float(largest))

    def section(self, inset: float) -> Floats:
        """(k, 2) mm: its outer outline, with every side moved inward."""
        grown = self.tip.buffer(self.deepest - inset, quad_segs=AROUND // 4)
        return np.asarray(grown.exterior.coords)[:-1]

    def body(self, sections: Sequence[tuple[float, float]], more: Floats | None = None) -> manifold3d.Manifold:
        """All between outlines, (z, mm moved inward) each, as for ``Profile.body``. Raises JoinFailed."""
        angles = 2 * np.pi * (np.arange(AROUND) + 0.5) / AROUND
        circle = OUTER * np.stack([np.cos(angles), np.sin(angles)], axis=1)
        discs = [np.c_[max(self.deepest - inset, 0.0) * circle, np.full(AROUND, z)] for z, inset in sections]
        rolled = np.concatenate(discs)
        oriented = shapely.geometry.polygon.orient(self.tip)
        rings = [np.asarray(ring.coords)[:-1] for ring in (oriented.exterior, *oriented.interiors)]
        corners = np.concatenate(rings)
        triangles = manifold3d.triangulate(rings)
        hulls = [
            manifold3d.Manifold.hull_points((np.c_[corners[own], np.zeros(3)][:, None] + rolled[None]).reshape(-1, 3))
            for own in triangles
        ]
        return whole(manifold3d.Manifold.batch_boolean(hulls, manifold3d.OpType.Add))

    def roof(self, inset: float, z: float) -> None:
        """There is none over an outline of any shape: its end is flat."""
