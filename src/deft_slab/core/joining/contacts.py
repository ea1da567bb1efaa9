"""Contacts: where two pieces were neighbours across a cut."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations, islice
from typing import TYPE_CHECKING, get_args

import manifold3d
import numpy as np
import shapely

from ..arrays import Bools, Floats, Ints
from ..document.base import triple
from ..geometry.curves import frame_of
from ..joins import Which
from ..joins.reports import ContactFound
from ..mesh.solid import Solid
from ..parting.bodies import Part

if TYPE_CHECKING:
    import igl

_GAP = 3e-3
"""mm: cracks between facets of one face that are no wider are none; rounding leaves them."""
_GRID = 1e-4
"""mm on to which corners are put where facets of one face overlap by rounding."""
LEAST_CONTACT = 0.05
"""mm2: what two pieces share less of is an edge, and no contact."""
_ONE_PLANE = np.cos(np.radians(0.2))
_LEVEL = 2e-3
"""mm by which facets of one plane may lie apart."""
_IN_PLANE = 0.01
"""mm by which facets may be off the plane of a contact and still be in it."""
_TOUCHING = 5e-3
"""mm: bent faces of two pieces that lie this near to each other touch."""
_AGAINST = 0.01
"""Share of a bent contact that may face against its way in: slivers of its triangulation do."""
_FACING = 0.05
"""Cosine to the way in from which a facet of a bent contact is seen along it."""


@dataclass(frozen=True, eq=False)
class Contact:
    """What two pieces share of the faces of a cut.

    Attributes
    ----------
    parts, solids : tuple[int, int]
        The numbers of the first and the second piece, and their solids before any join.
    cut : str
        The id of the cut.
    between : tuple[int, int]
        The sides of the cut that the two pieces are on.
    frame : (3, 3) float64
        Rows: two directions across the contact, and the direction from the first piece to the second.
    region : shapely.MultiPolygon
        The contact as polygons across that direction, in mm.
    area : float, mm2
        The area to be glued.
    flat : bool
        Whether its face lies in one plane across the direction.
    free : bool
        Whether no part of the contact itself stands in the way of putting the pieces together.
    kerf : float, mm
        The distance between the two faces.
    vertices, triangles : array of float64
        The face of the contact, as the first piece has it, in mm, model frame.
    keys : tuple[Hashable, Hashable]
        Names of the content of the two pieces.
    around : tuple[Part, ...]
        All other pieces.
    """

    parts: tuple[int, int]
    solids: tuple[Solid, Solid]
    cut: str
    between: tuple[int, int]
    frame: Floats
    region: shapely.MultiPolygon
    area: float
    flat: bool
    free: bool
    kerf: float
    vertices: Floats
    triangles: Ints
    keys: tuple[Hashable, Hashable]
    around: tuple[Part, ...]

    @property
    def way_in(self) -> Floats:
        """The direction in which the second piece moves onto the first.

        Returns
        -------
        (3,) float64, model frame
        """
        return np.asarray(-self.frame[2])

    @property
    def out(self) -> Floats:
        """The direction from the first piece to the second.

        Returns
        -------
        (3,) float64, model frame
        """
        return np.asarray(self.frame[2])

    def part(self, which: Which) -> int:
        """The number of one of its pieces."""
        return self.parts[0 if which == "first" else 1]

    def solid(self, which: Which) -> Solid:
        """One of its pieces."""
        return self.solids[0 if which == "first" else 1]

    @cached_property
    def centre(self) -> Floats:
        """The centre of both pieces together, across the contact.

        Returns
        -------
        (2,) float64, mm
        """
        weights = np.array([solid.volume for solid in self.solids])
        middles = np.array([solid.centre_of_mass for solid in self.solids])
        return np.asarray((weights @ middles) / weights.sum() @ self.frame[:2].T)

    def body(self, which: Which) -> manifold3d.Manifold:
        """One of its pieces in the boolean library, moved so that the two meet."""
        body = self.solid(which).manifold
        return body.translate(tuple(self.kerf * self.way_in)) if which == "second" and self.kerf else body

    @cached_property
    def skin(self) -> Solid:
        """The surface of all pieces that no cut has made, with the two pieces of this contact moved so that they
        meet.
        """
        corners, triangles, start = [], [], 0
        others = [(part.solid, 0.0) for part in self.around]
        for solid, kerf in ((self.solids[0], 0.0), (self.solids[1], self.kerf), *others):
            corners.append(solid.vertices + kerf * self.way_in)
            triangles.append(solid.triangles[solid.origin >= 0].astype(np.int64) + start)
            start += len(solid.vertices)
        return Solid(np.concatenate(corners), np.concatenate(triangles))

    def ends(self, across: Floats) -> Bools:
        """Whether another cut ends the contact at each of some places on its outline.

        Parameters
        ----------
        across : (k, 2) float64, mm

        Returns
        -------
        (k,) bool
        """
        tree, corners, triangles, own = self._outsides["first"]
        _, nearest, _ = tree.squared_distance(corners, triangles, np.ascontiguousarray(self.on_face(across)))
        return np.asarray(self.solid("first").origin[own[nearest]] < 0)

    @cached_property
    def _outsides(self) -> dict[Which, tuple[igl.AABB, Floats, Ints, Ints]]:
        return {which: self._outside(which) for which in get_args(Which)}

    def _outside(self, which: Which) -> tuple[igl.AABB, Floats, Ints, Ints]:
        """The facets of a piece that are neither in this contact nor continue it in its plane: as a search tree,
        with their vertices and triangles, and their numbers in the piece.
        """
        import igl

        solid = self.solid(which)
        own = solid.by(self.cut)
        if self.flat:
            heights = solid.centroids @ self.out - self.level
            own &= np.minimum(np.abs(heights), np.abs(heights - self.kerf)) < _IN_PLANE
        corners, tree = np.ascontiguousarray(solid.vertices), igl.AABB()
        triangles = solid.triangles[~own].astype(np.int64)
        tree.init(corners, triangles)
        return tree, corners, triangles, np.flatnonzero(~own)

    def to_outside(self, which: Which, points: Floats) -> Floats:
        """The distance from points to the outside of a piece.

        Returns
        -------
        (k,) float64, mm
        """
        tree, corners, triangles, _ = self._outsides[which]
        squared, _, _ = tree.squared_distance(corners, triangles, np.ascontiguousarray(points))
        return np.asarray(np.sqrt(squared))

    @cached_property
    def level(self) -> float:
        """The mean level of the contact face along the direction out, in mm."""
        corners = self.vertices[self.triangles] @ self.frame[2]
        return float(np.median(corners))

    @cached_property
    def found(self) -> ContactFound:
        """What is shown of the contact."""
        rings = [np.asarray(ring.coords) for one in self.region.geoms for ring in (one.exterior, *one.interiors)]
        return ContactFound(self.parts, self.cut, self.between, triple(self.place), triple(self.way_in), self.area,
                            self.flat, self.free, self.frame, tuple(self.on_face(ring) for ring in rings))

    @cached_property
    def place(self) -> Floats:
        """A point on its face, near the middle of its largest part.

        Returns
        -------
        (3,) float64, mm, model frame
        """
        largest = max(self.region.geoms, key=lambda one: one.area)
        spot = largest.representative_point()
        middle = largest.centroid
        u, v = (middle.x, middle.y) if largest.contains(middle) else (spot.x, spot.y)
        return np.asarray(self.on_face(np.array([[u, v]]))[0])

    def on_face(self, across: Floats) -> Floats:
        """The points of its face at places across it; see ``heights``.

        Returns
        -------
        (k, 3) float64, mm, model frame
        """
        return np.asarray(across @ self.frame[:2] + self.heights(across)[:, None] * self.frame[2])

    def heights(self, across: Floats) -> Floats:
        """The level of its face along the direction out, at places across it; beside the face, that of its nearest
        vertex.

        Returns
        -------
        (k,) float64, mm
        """
        from scipy.spatial import cKDTree

        if self.flat:
            return np.full(len(across), self.level)
        found = np.full(len(across), np.nan)
        flat = (self.vertices @ self.frame[:2].T)[self.triangles]
        high = (self.vertices @ self.frame[2])[self.triangles]
        tree = shapely.STRtree(shapely.polygons(flat))
        point, facet = tree.query(shapely.points(across), predicate="intersects")
        a, b, c = flat[facet, 0], flat[facet, 1], flat[facet, 2]
        whole = _cross(b - a, c - a)
        usable = np.abs(whole) > 1e-12
        point, facet, whole = point[usable], facet[usable], whole[usable]
        a, b, c = a[usable], b[usable], c[usable]
        p = across[point]
        s, t = _cross(p - a, c - a) / whole, _cross(b - a, p - a) / whole
        found[point] = high[facet, 0] * (1 - s - t) + high[facet, 1] * s + high[facet, 2] * t
        beside = np.isnan(found)
        if beside.any():
            used = np.unique(self.triangles)
            _, nearest = cKDTree(self.vertices[used] @ self.frame[:2].T).query(across[beside])
            found[beside] = (self.vertices[used] @ self.frame[2])[nearest]
        return found


def contacts_of(
    parts: Sequence[Part], two_sided: Mapping[str, tuple[float, float, float] | None], kerfs: Mapping[str, float]
) -> list[Contact]:
    """All contacts, in the order of the cuts, largest first.

    Parameters
    ----------
    two_sided
        For each cut that parts in two, the direction in which its side +1 comes off; None if there is none.
    kerfs : mapping of str to float, mm
        The kerf of each cut.
    """
    found = []
    for cut in kerfs:
        faces: dict[int, Bools] = {}
        for n, part in enumerate(parts):
            own = part.solid.by(cut)
            if own.any():
                faces[n] = own
        side = {n: next(s.side for s in parts[n].sides if s.cut == cut) for n in faces}
        here = []
        for a, b in combinations(faces, 2):
            if side[a] == side[b]:
                continue
            first, second = (a, b) if side[a] < side[b] else (b, a)
            between = (side[first], side[second])
            one, two = (_Face.of(parts[n].solid, faces[n]) for n in (first, second))
            if one.apart(two) > kerfs[cut] + _TOUCHING:
                continue
            way = two_sided.get(cut)
            here += [
                Contact(
                    (first, second), (parts[first].solid, parts[second].solid), cut, between, frame, region, area, flat,
                    free, kerfs[cut], own.vertices, own.triangles,
                    (parts[first].key, parts[second].key),
                    tuple(part for n, part in enumerate(parts) if n not in (first, second)),
                )
                for frame, region, area, flat, free, own in _shared(
                    one, two, None if way is None else np.array(way), kerfs[cut]
                )
            ]
        found += sorted(here, key=lambda contact: -contact.area)
    return found


_Shared = tuple[Floats, shapely.MultiPolygon, float, bool, bool, "_Face"]
"""(frame, region, area, flat, free, face) of a contact."""


@dataclass(frozen=True, eq=False)
class _Face:
    """The face that a cut has made on a piece.

    Attributes
    ----------
    vertices : mm
        Triangles.
    normals : array of float64
        Unit normals.
    areas : mm2
    """

    vertices: Floats
    triangles: Ints
    normals: Floats
    areas: Floats

    @classmethod
    def of(cls, solid: Solid, own: Bools) -> _Face:
        used, triangles = np.unique(solid.triangles[own], return_inverse=True)
        return cls(solid.vertices[used], triangles.reshape(-1, 3).astype(np.int64), solid.normals[own],
                   solid.areas[own])

    def picked(self, chosen: Bools) -> _Face:
        return _Face(self.vertices, self.triangles[chosen], self.normals[chosen], self.areas[chosen])

    def apart(self, other: _Face) -> float:
        """The distance between the bounding boxes of two faces, in mm."""
        low = np.maximum(self.vertices.min(axis=0), other.vertices.min(axis=0))
        high = np.minimum(self.vertices.max(axis=0), other.vertices.max(axis=0))
        return float(np.maximum(low - high, 0.0).max())

    def planes(self) -> Iterator[tuple[Floats, float, _Face]]:
        """The planes that facets of the face lie in, largest first: normal, offset in mm, and the facets in it."""
        offsets = np.einsum("ij,ij->i", self.normals, self.vertices[self.triangles[:, 0]])
        left = self.areas > 0
        noise = 1e-6 * float(self.areas.sum())
        while left.any():
            seed = int(np.argmax(np.where(left, self.areas, 0.0)))
            if self.areas[seed] <= noise:
                return
            near = left & (self.normals @ self.normals[seed] > _ONE_PLANE)
            near &= np.abs(offsets - offsets[seed]) < _LEVEL + 1e-4 * np.linalg.norm(
                self.vertices[self.triangles[:, 0]] - self.vertices[self.triangles[seed, 0]], axis=1
            )
            near[seed] = True
            yield self.normals[seed], float(offsets[seed]), self.picked(near)
            left &= ~near


def _shared(one: _Face, two: _Face, way: Floats | None, kerf: float) -> Iterator[_Shared]:
    """What two faces share.

    Parameters
    ----------
    way : array of float64
        The direction in which the second piece comes off; None: across each plane by itself.
    """
    # a bent face has as many planes as facets: no more than two are looked for, unless each counts
    planes = one.planes() if way is None else islice(one.planes(), 2)
    found = list(planes)
    if way is None or (len(found) == 1 and found[0][0] @ way > _ONE_PLANE):
        for normal, offset, own in found:
            yield from _flat(normal, offset, own, two, kerf)
        return
    yield from _bent(one, two, way / np.linalg.norm(way), kerf)


def _flat(normal: Floats, offset: float, own: _Face, two: _Face, kerf: float) -> Iterator[_Shared]:
    frame = frame_of(normal)
    heights = two.vertices[two.triangles] @ normal
    facing = two.normals @ normal < -_ONE_PLANE
    theirs = two.picked(facing & (np.abs(heights - offset - kerf).max(axis=1) < 2 * _LEVEL + 1e-6 * abs(offset)))
    if not len(theirs.triangles):
        return
    region = _polygons(_outline(own, frame) & _outline(theirs, frame))
    if region.area >= LEAST_CONTACT:
        yield frame, region, float(region.area), True, True, own


def _bent(one: _Face, two: _Face, way: Floats, kerf: float) -> Iterator[_Shared]:
    import igl

    centroids = one.vertices[one.triangles].mean(axis=1)
    squared, _, _ = igl.point_mesh_squared_distance(centroids, two.vertices, two.triangles)
    own = one.picked(squared < (1.5 * kerf + _TOUCHING) ** 2)
    area = float(own.areas.sum())
    if area < LEAST_CONTACT:
        return
    facing, frame = own.normals @ way, frame_of(way)
    seen = own.picked(facing > _FACING)
    region = _polygons(_outline(seen, frame, flat=False))
    if region.area >= LEAST_CONTACT:
        against = float(own.areas[facing < -_FACING].sum())
        yield frame, region, area, False, against < _AGAINST * area, seen


def _outline(face: _Face, frame: Floats, *, flat: bool = True) -> shapely.Geometry:
    """What facets cover as seen along the third row of a frame, with cracks from rounding closed."""
    across = face.vertices @ frame[:2].T
    corners = across[face.triangles]
    turned = _cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    triangles = shapely.polygons(corners[np.abs(turned) > 1e-10])
    if not flat:
        union = shapely.union_all(triangles)
    else:
        try:
            # the facets of a flat face meet edge to edge, which is quicker to unite than what may overlap
            union = shapely.coverage_union_all(triangles)
        except shapely.errors.GEOSException:
            # but for slivers that rounding has laid over their neighbours
            union = shapely.union_all(triangles, grid_size=_GRID)
    return union.buffer(_GAP, join_style="mitre").buffer(-_GAP, join_style="mitre")


def _polygons(shape: shapely.Geometry) -> shapely.MultiPolygon:
    """The polygons of a shape, without slivers."""
    kept = [
        one for one in shapely.get_parts(shape) if one.geom_type == "Polygon" and one.area > 1e-3
        and not one.buffer(-_GAP).is_empty
    ]
    return shapely.MultiPolygon(kept)


def _cross(a: Floats, b: Floats) -> Floats:
    return np.asarray(a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0])
