"""Cuts a limb off along the smooth sheet that spans a loop around it.

The sheet becomes a plate hardly thicker than rounding (or as thick as the kerf) that reaches slightly beyond the
loop. Where it meets the solid within the loop is the section of the limb; the plate is trimmed to that section, so
that it touches nothing else, and removed in one boolean. Both sides come from that one boolean, so their faces do not
overlap and the rest of the surface is untouched.
"""

from __future__ import annotations

import manifold3d
import numpy as np
import shapely

from ..arrays import Floats
from ..mesh.provenance import Face
from ..mesh.solid import Solid
from .bodies import bodies_of, in_one, smaller, within
from .smooth_sheets import Loop, loop_body, loop_frame, loop_rim
from .splitting import Parted, split_by_body, taken_over

_REACHES = (0.04, 0.1, 0.2, 0.4)
"""Shares of its radius by which the sheet in a loop goes beyond it, until all of the limb's section lies within."""
_THICKNESS = 1e-6
"""mm, of the plate without a kerf: ten thousand times the rounding of a prop of 100 mm, and nothing beside a layer."""
_WITHIN = 0.5
"""Share of a section beside the limb's that must lie in the loop for it to be cut too."""
_ROOM = 0.02
"""Share of the loop's radius by which the plate goes beyond the section, where there is room."""


def around_limb(solid: Solid, loop: Loop, kerf: float, owner: str) -> tuple[list[tuple[int, Solid]], float]:
    """Cut a limb off along the sheet in a loop. If the loop cuts nothing, the whole solid is on side +1.

    Parameters
    ----------
    kerf : float, mm
        The width of the cut.
    owner : str
        The id of the cut, which owns the new faces.

    Returns
    -------
    list of (int, Solid), float
        The limb (side +1) and the rest (side -1), and the volume of the kerf in mm3.

    Raises
    ------
    CutFailed
        The loop crosses itself, seen along its mean normal.
    """
    untouched = [(1, solid)], 0.0
    whole = solid.manifold
    plate = _trimmed_plate(whole, loop, max(kerf, _THICKNESS))
    if plate is None:
        return untouched
    fresh = {int(run): Face(owner) for run in plate.to_mesh64().run_original_id}
    left = Solid.from_manifold(whole - plate, solid.runs | fresh)
    bodies = bodies_of(left)
    if len(bodies) <= len(bodies_of(solid)):
        return untouched
    sides = _sides(bodies, owner, loop_frame(loop)[0][2])
    if sides is None:
        return untouched
    limb, rest = sides
    lost = float((whole ^ plate).volume()) if kerf > 0 else 0.0
    return [(1, in_one(limb)), (-1, in_one(rest))], lost


def off_surface(solid: Solid, loop: Loop, kerf: float, owner: str) -> Parted | None:
    """Cut off what a loop on the surface encloses, along the smooth face that the loop spans. It is used where a
    sheet in the loop's mean plane cuts nothing or does not exist. None if the loop does not part the surface
    either.

    Parameters
    ----------
    kerf : float, mm
        The width of the cut.
    owner : str
        The id of the cut, which owns the new faces.
    """
    # neither is loaded before it is wanted
    from .harmonic_face import patch_body
    from .loop_interior import enclosed

    part = enclosed(solid, loop)
    if part is None:
        return None

    def within_face(grow: float) -> manifold3d.Manifold:
        return patch_body(part, 0.0, 0.0, grow, loop.name) or manifold3d.Manifold()

    inside, outside, lost = split_by_body(solid.manifold, within_face, kerf / 2)
    sides = taken_over(solid, [(1, inside), (-1, outside)], owner, loop.name)
    if len(sides) < 2:
        return None
    (_, one), (_, other) = sides
    limb, rest = (other, one) if smaller([other], [one]) else (one, other)
    return Parted([(1, limb), (-1, rest)], lost)


def bridge(solid: Solid, loop: Loop) -> Floats:
    """Places around the sheet in a loop that still lie inside the solid: there the cut does not go through.

    Returns
    -------
    (k, 2, 3) float64, mm
        Each place, and the direction to it from the middle of the sheet.
    """
    around = loop_rim(loop, 1.0 + _REACHES[-1])
    outward = around - around.mean(axis=0)
    outward /= np.linalg.norm(outward, axis=1)[:, None]
    return np.asarray(np.stack([around, outward], axis=1)[within(solid, around)])


def _trimmed_plate(whole: manifold3d.Manifold, drawn: Loop, thickness: float) -> manifold3d.Manifold | None:
    """The plate along the sheet in a loop, no larger than the section of the limb requires. None if the section
    continues beyond the farthest sheet that is made.
    """
    frame, ring, _, centre = loop_frame(drawn)
    loop = shapely.Polygon(ring)
    radius = float(np.linalg.norm(ring, axis=1).mean())
    for over in _REACHES:
        plate = loop_body(drawn, over, thickness)
        sections = _sections(whole ^ plate, frame, centre)
        chosen = _of_limb(sections, loop)
        rim = shapely.Polygon((1.0 + over) * ring)
        free = min((_distance(section, rim.exterior) for section in chosen), default=0.0)
        if chosen and free > 1e-3 * radius and all(rim.contains(section) for section in chosen):
            others = [section for section in sections if section not in chosen]
            beside = min((_distance(a, b) for a in chosen for b in others), default=np.inf)
            outline = shapely.union_all(chosen).buffer(min(_ROOM * radius, free / 2, beside / 2))
            return plate ^ _column(outline, frame, centre, ring, thickness)
    return None


def _sections(film: manifold3d.Manifold, frame: Floats, centre: Floats) -> list[shapely.Geometry]:
    """The outlines of what a plate and a solid have in common, seen along the mean normal of a loop."""
    flat = film.translate(tuple(-centre)).transform(np.c_[frame, np.zeros(3)])
    outlines = []
    for part in flat.decompose():
        rings = [shapely.Polygon(ring) for ring in part.project().to_polygons() if len(ring) >= 3]
        outline = shapely.union_all([ring.buffer(0) for ring in rings])  # what is hollow there is cut through as well
        if outline.area > 0:
            outlines.append(outline)
    return outlines


def _of_limb(sections: list[shapely.Geometry], loop: shapely.Polygon) -> list[shapely.Geometry]:
    """The sections that a loop goes around: the one that lies within it most, and others that lie mostly within it."""
    inside = [float(section.intersection(loop).area) for section in sections]
    if not inside or max(inside) <= 0:
        return []
    most = int(np.argmax(inside))
    return [
        section for n, section in enumerate(sections) if n == most or inside[n] > _WITHIN * float(section.area)
    ]


def _distance(a: shapely.Geometry, b: shapely.Geometry) -> float:
    return float(a.distance(b))


def _column(
    outline: shapely.Geometry, frame: Floats, centre: Floats, ring: Floats, thickness: float
) -> manifold3d.Manifold:
    """Everything above and below an outline, as far as a sheet in a loop can rise."""
    rings = [
        np.asarray(shapely.geometry.polygon.orient(part).exterior.coords)[:-1]
        for part in getattr(outline, "geoms", [outline])
    ]
    height = 8.0 * float(np.abs(ring).max()) + thickness
    body = manifold3d.CrossSection(rings, manifold3d.FillRule.Positive).extrude(2 * height)
    return body.translate((0.0, 0.0, -height)).transform(np.c_[frame.T, centre])


def _sides(bodies: list[Solid], owner: str, normal: Floats) -> tuple[list[Solid], list[Solid]] | None:
    """The bodies of the limb and the other bodies. None if nothing came off.

    A body lies above or below the sheet, according to the way its cut faces point. The limb is the smaller of the
    two, or what lies above the sheet if both are equal. Bodies that the plate has not touched, or that are connected
    around it, stay with the other.
    """
    over: list[Solid] = []
    under: list[Solid] = []
    others: list[Solid] = []
    for body in bodies:
        up = body.area_vectors[body.by(owner)] @ normal
        balance = float(up.sum() / max(np.abs(up).sum(), 1e-300)) if len(up) else 0.0
        (under if balance > 0.5 else over if balance < -0.5 else others).append(body)
    if not over or not under:
        return None
    limb, rest = (under, over) if smaller(under, over) else (over, under)
    return limb, [*rest, *others]
