"""Polygons across a contact, extruded from its face. Imported only when a join needs them."""

from __future__ import annotations

import manifold3d
import numpy as np
import shapely

from ..geometry.blanks import placed
from .kind import ContactGround, Site, Which


def column_of(
    shape: shapely.Geometry, ground: ContactGround, site: Site, carrier: Which, height: float, into: float = 0.0
) -> manifold3d.Manifold:
    """Polygons across a flat contact, extruded from below its face to above it, away from a carrier; model frame.

    Parameters
    ----------
    height : float, mm
        How far above the face.
    into : float, mm
        How far below the face.
    """
    axes = site.axes(carrier)
    turn = axes[:2] @ site.frame[:2].T
    rings = [
        np.ascontiguousarray(np.asarray(ring.coords)[:-1] @ turn.T)
        for one in shapely.get_parts(shape) if one.geom_type == "Polygon"
        for ring in (one.exterior, *one.interiors)
    ]
    section = manifold3d.CrossSection(rings, manifold3d.FillRule.EvenOdd)
    body = manifold3d.Manifold.extrude(section, height + into).translate((0.0, 0.0, -into))
    return placed(body, axes.T, ground.level * site.frame[2])
