"""The footprint: the shadow of a solid in its seat."""

from __future__ import annotations

from weakref import WeakKeyDictionary

import numpy as np
import shapely

from ..arrays import Floats
from ..mesh.solid import Solid

_known: WeakKeyDictionary[Solid, dict[bytes, shapely.MultiPolygon]] = WeakKeyDictionary()


def footprint(solid: Solid, rotation: Floats) -> shapely.MultiPolygon:
    """The shadow of a solid straight down, in mm, in the bed frame before it is moved; for an open solid that of its
    hull. It is cached as long as the solid exists.

    Parameters
    ----------
    rotation : (3, 3) float64
        From the model frame to the bed.
    """
    own = _known.setdefault(solid, {})
    key = rotation.tobytes()
    if key not in own:
        own[key] = _shadow(solid, rotation)
    return own[key]


def _shadow(solid: Solid, rotation: Floats) -> shapely.MultiPolygon:
    if solid.closed:
        turned = solid.manifold.transform(np.column_stack([rotation, np.zeros(3)]))
        rings = [shapely.Polygon(ring) for ring in turned.project().to_polygons() if len(ring) > 2]
        # holes go the other way round, and lie in what is around them
        around = [ring for ring in rings if ring.exterior.is_ccw]
        holes = [ring for ring in rings if not ring.exterior.is_ccw]
        shadow = shapely.union_all([ring.buffer(0) for ring in around])
        if holes:
            shadow = shadow.difference(shapely.union_all([ring.buffer(0) for ring in holes]))
        parts = [one for one in shapely.get_parts(shadow) if one.geom_type == "Polygon" and one.area > 0]
        if parts:
            return shapely.MultiPolygon(parts)
    hull = shapely.convex_hull(shapely.multipoints(solid.vertices @ rotation[:2].T))
    return shapely.MultiPolygon([hull if hull.geom_type == "Polygon" else hull.buffer(1e-3)])
