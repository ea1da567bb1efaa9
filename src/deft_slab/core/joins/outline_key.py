"""Keys that follow the outline of their contact, whatever its shape.

The outline at each height is that of the tip with a disc rolled around it; the higher, the smaller the disc. All
sides therefore lean by the same angle, and a socket is the same with a larger disc. (It is the Minkowski sum of a
prism and a cone, made as the union of the hulls of the triangles of the tip.)
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
    """An outline that follows a contact.

    Attributes
    ----------
    tip : mm
        The outline of the tip, in mm about a place.
    deepest : float, mm
        How far the tip's outline is inside the contact's outline.
    depth : float, mm
        Half of its largest width.
    """

    tip: shapely.Polygon
    deepest: float
    depth: float

    @classmethod
    def within(cls, part: shapely.Polygon, inset: float, deepest: float) -> Followed:
        """The outline of a part of a contact, moved inward by ``inset`` mm.

        Raises
        ------
        JoinFailed
            Nothing is left.
        """
        drawn_in = part.buffer(-inset)
        tips = [one for one in shapely.get_parts(drawn_in.buffer(-deepest - _LEAST)) if one.area > 0]
        if not tips:
            raise JoinFailed(tr("The contact is too narrow for a key along its outline."),
                             remedy=tr("Reduce its inset, its height or its draft."))
        tip = max(tips, key=lambda one: float(one.area)).buffer(_LEAST).simplify(_PLAIN)
        largest = shapely.maximum_inscribed_circle(drawn_in, tolerance=0.1).length
        return cls(tip, deepest, float(largest))

    def section(self, inset: float) -> Floats:
        """The outer outline (k, 2) in mm, with every side moved inward."""
        grown = self.tip.buffer(self.deepest - inset, quad_segs=AROUND // 4)
        return np.asarray(grown.exterior.coords)[:-1]

    def body(self, sections: Sequence[tuple[float, float]], more: Floats | None = None) -> manifold3d.Manifold:
        """The body between outlines, with further corners (k, 3); see ``KeyOutline.body``.

        Raises
        ------
        JoinFailed
            It cannot be made.
        """
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
        """None, because the end over an arbitrary outline is flat."""
