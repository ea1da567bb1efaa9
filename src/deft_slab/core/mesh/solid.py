"""Solid: an immutable triangle surface that knows where each triangle came from, and the bridge to the boolean
library.

The origin of a triangle is a number. From 0 on it is the index of the triangle of the opened model that it is, or is
a part of; -1 - k means that it is a part of face k in the solid's own table, which says who made it. The boolean
library carries both through any number of cuts, so coordinates never have to be compared to find out what is a cut
face.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..arrays import AnyInts, Bools, Floats, Ints, Ints32, unwritable
from ..errors import OpenSurface
from ..locale.translate import tr, tr_many
from .corners import in_use
from .edges import edge_numbers
from .non_manifold import unpinched
from .provenance import CUT, Face, table

_FEW = 8
"""Groups up to which a look at all triangles for each is quicker than sorting them."""


def _frozen(array: NDArray[np.generic]) -> None:
    array.flags.writeable = False


@dataclass(frozen=True)
class Defects:
    """What keeps a surface from enclosing a volume.

    Attributes
    ----------
    open_edges : int
        Edges with a facet on one side only.
    flipped_edges : int
        Edges whose two facets disagree about which side is outside.
    segments : (k, 2, 3) float64
        The edges concerned, in the frame of the solid.
    inside_out : bool
        The surface is closed, but its facets face inward: its volume is negative.
    pinched : int
        Edges at which more than two facets meet, as where a body touches itself. They do not keep it from
        enclosing a volume.
    """

    open_edges: int
    flipped_edges: int
    segments: Floats
    inside_out: bool
    pinched: int = 0

    @property
    def closed(self) -> bool:
        """Whether every edge has its two facets."""
        return self.open_edges == 0 and self.flipped_edges == 0

    def sentence(self) -> str:
        """What is wrong, in a sentence for a person; empty if nothing is."""
        if self.closed:
            return tr("Its facets face inward, so its volume is negative.") if self.inside_out else ""
        parts = []
        if self.open_edges:
            parts.append(tr_many("{n:,} open edge (hole)", "{n:,} open edges (holes)", self.open_edges))
        if self.flipped_edges:
            parts.append(tr("{count:,} edges where neighbouring facets face opposite ways", count=self.flipped_edges))
        return tr("The surface is not closed: {parts}.", parts=tr(" and ").join(parts))


@dataclass(frozen=True, eq=False)
class Solid:
    """A triangle surface, normally closed. Lengths are in mm unless the caller says otherwise.

    Attributes
    ----------
    vertices : (n, 3) float64
    triangles : (m, 3) int32
        Indices of vertices, counter-clockwise as seen from outside.
    origin : (m,) int32
        Where each triangle came from; see the head of this module.
    made : tuple[Face, ...]
        The table of faces that ``origin`` refers to.
    """

    vertices: Floats
    triangles: Ints32
    origin: Ints32 = field(default_factory=lambda: np.empty(0, np.int32))
    made: tuple[Face, ...] = ()

    def __post_init__(self) -> None:
        vertices = np.ascontiguousarray(self.vertices, np.float64)
        triangles = np.ascontiguousarray(self.triangles, np.int32)
        given = self.origin if len(self.origin) == len(triangles) else np.arange(len(triangles))
        origin = np.ascontiguousarray(given, np.int32)
        for name, array in (("vertices", vertices), ("triangles", triangles), ("origin", origin)):
            object.__setattr__(self, name, unwritable(array))

    def __getstate__(self) -> dict[str, object]:
        # derived data stays behind: it is quick to make again, and the boolean library's body cannot travel
        return {"vertices": self.vertices, "triangles": self.triangles, "origin": self.origin, "made": self.made}

    def __setstate__(self, state: dict[str, object]) -> None:
        self.__dict__.update(state)
        for array in (self.vertices, self.triangles, self.origin):
            _frozen(array)  # pickling forgets it, and kernels would be compiled anew for arrays that can be written

    @cached_property
    def bounds(self) -> Floats:
        """The lowest and the highest corner of the bounding box.

        Returns
        -------
        (2, 3) float64
        """
        # a column at a time: the library takes ten times as long along the first axis
        return np.array([[column.min() for column in self.vertices.T], [column.max() for column in self.vertices.T]])

    def turned_bounds(self, rotation: Floats) -> Floats:
        """The lowest and the highest corner of the bounding box after a rotation.

        Parameters
        ----------
        rotation : (3, 3) float64

        Returns
        -------
        (2, 3) float64
        """
        turned = rotation @ self.vertices.T  # a row for each axis, for the reason above
        return np.stack([turned.min(axis=1), turned.max(axis=1)])

    @property
    def size(self) -> Floats:
        """The size of the bounding box along each axis.

        Returns
        -------
        (3,) float64
        """
        return np.asarray(self.bounds[1] - self.bounds[0])

    @property
    def diagonal(self) -> float:
        """The diagonal of the bounding box."""
        return float(np.linalg.norm(self.size))

    @cached_property
    def area_vectors(self) -> Floats:
        """The outward normal of each facet, multiplied by its area.

        Returns
        -------
        (m, 3) float64
        """
        a, b, c = self._corners
        u, v = b - a, c - a
        vectors = np.empty_like(a)
        for k in range(3):
            i, j = (k + 1) % 3, (k + 2) % 3
            vectors[:, k] = 0.5 * (u[:, i] * v[:, j] - u[:, j] * v[:, i])
        _frozen(vectors)
        return vectors

    @cached_property
    def areas(self) -> Floats:
        """The area of each facet.

        Returns
        -------
        (m,) float64
        """
        areas = np.sqrt(np.einsum("ij,ij->i", self.area_vectors, self.area_vectors))
        _frozen(areas)
        return np.asarray(areas)

    @cached_property
    def normals(self) -> Floats:
        """The outward unit normal of each facet; zero for a facet without area.

        Returns
        -------
        (m, 3) float64
        """
        length = np.where(self.areas > 0, self.areas, 1.0)
        normals = self.area_vectors / length[:, None]
        _frozen(normals)
        return np.asarray(normals)

    @cached_property
    def centroids(self) -> Floats:
        """The centroid of each facet.

        Returns
        -------
        (m, 3) float64
        """
        a, b, c = self._corners
        return np.asarray((a + b + c) / 3.0)

    @property
    def _corners(self) -> list[Floats]:
        """The first, second and third vertices of all facets, as three arrays (m, 3). One array (m, 3, 3) would be
        slow to compute with.
        """
        return [self.vertices.take(self.triangles[:, k], axis=0) for k in range(3)]

    @cached_property
    def volume(self) -> float:
        """The signed volume, by the divergence theorem. It is meaningful only for a closed surface."""
        reference = self.bounds.mean(axis=0)
        return float(np.einsum("ij,ij->", self.centroids - reference, self.area_vectors) / 3.0)

    @cached_property
    def centre_of_mass(self) -> Floats:
        """The centre of mass of the enclosed volume; of the surface, if it encloses none.

        Each facet forms a tetrahedron with a reference point, whose centroid is weighted by its signed volume.

        Returns
        -------
        (3,) float64
        """
        reference = self.bounds.mean(axis=0)
        shifted = self.centroids - reference
        six = np.einsum("ij,ij->i", shifted, self.area_vectors)
        if not self.closed or abs(six.sum()) < 1e-12 * self.diagonal**3:
            return np.asarray(np.average(self.centroids, axis=0, weights=np.maximum(self.areas, 1e-300)))
        return np.asarray(reference + 0.75 * (six @ shifted) / six.sum())

    @cached_property
    def defects(self) -> Defects:
        """What keeps the surface from enclosing a volume. It is closed if each edge is walked as often one way as
        the other.
        """
        count = np.int64(len(self.vertices))
        edge, rising = edge_numbers(self.triangles, len(self.vertices))
        walked = np.sort(2 * edge + rising)  # the last bit says which way
        key, direction = walked >> 1, 2 * (walked & 1) - 1
        first = np.flatnonzero(np.r_[True, key[1:] != key[:-1]]) if len(key) else np.empty(0, np.int64)
        balance = np.add.reduceat(direction, first) if len(first) else np.empty(0, np.int64)
        uses = np.diff(np.r_[first, len(key)])
        bad = np.flatnonzero(balance != 0)
        flipped = int(np.count_nonzero(uses[bad] % 2 == 0))
        edges = key[first[bad]]
        segments = self.vertices[np.stack([edges // count, edges % count], axis=1)]
        inside_out = len(bad) == 0 and self.volume < 0
        return Defects(len(bad) - flipped, flipped, segments, inside_out, int(np.count_nonzero(uses > 2)))

    @property
    def from_booleans(self) -> bool:
        """Whether the solid already exists in the boolean library, in which case it is closed."""
        return "manifold" in self.__dict__

    @property
    def made_closed(self) -> bool:
        """Whether it is closed because of how it was made, so that nobody has to look at its edges."""
        return self.from_booleans or "_made_closed" in self.__dict__

    def marked_closed(self) -> Solid:
        """The solid itself, with ``made_closed`` set. Only for what makes closed surfaces out of closed ones."""
        self.__dict__["_made_closed"] = True
        return self

    @property
    def closed(self) -> bool:
        """Whether it encloses a volume."""
        return self.made_closed or self.defects.closed

    @property
    def inside_out(self) -> bool:
        """Whether it is closed with its facets facing inward."""
        return not self.made_closed and self.defects.inside_out

    def must_be_closed(self) -> None:
        """Do nothing if it is closed.

        Raises
        ------
        OpenSurface
            The surface is not closed.
        """
        if not self.closed:
            raise OpenSurface(
                self.defects.sentence(), remedy=tr("Close it first. Figures that need no volume are still shown.")
            )

    @cached_property
    def manifold(self) -> manifold3d.Manifold:
        """The same body in the boolean library, with its triangles numbered by ``origin``.

        Raises
        ------
        OpenSurface
            The surface is not closed.
        """
        self.must_be_closed()
        vertices, triangles = unpinched(self.vertices, self.triangles) if self.defects.pinched else (
            self.vertices, self.triangles)
        kinds, kind_of = np.unique(np.minimum(self.origin, 0), return_inverse=True)
        order = np.argsort(kind_of, kind="stable")
        first_id = manifold3d.Manifold.reserve_ids(max(1, len(kinds)))
        ends = np.r_[0, np.cumsum(np.bincount(kind_of, minlength=len(kinds)))]
        mesh = manifold3d.Mesh64(
            vert_properties=np.array(vertices),
            tri_verts=triangles[order].astype(np.uint64),
            run_index=(3 * ends).astype(np.uint64),
            run_original_id=(first_id + np.arange(len(kinds))).astype(np.uint32),
            face_id=np.maximum(self.origin[order], 0).astype(np.uint64),
        )
        body = manifold3d.Manifold(mesh)
        if body.status() != manifold3d.Error.NoError:
            raise OpenSurface(tr("The boolean library refuses this surface ({name}).", name=body.status().name))
        self.__dict__["_runs"] = {
            first_id + number: self.made[-1 - kind] if kind < 0 else None for number, kind in enumerate(kinds)
        }
        return body

    @property
    def runs(self) -> dict[int, Face | None]:
        """Who made the triangles of each run (the boolean library's word for a group of triangles of one origin);
        None for the opened model.
        """
        _ = self.manifold
        return dict(self.__dict__["_runs"])

    @classmethod
    def from_manifold(cls, body: manifold3d.Manifold, runs: Mapping[int, Face | None]) -> Solid:
        """A solid made from a body of the boolean library.

        Parameters
        ----------
        runs : Mapping[int, Face | None]
            Who made the triangles of each run; None or a missing run means the opened model.
        """
        mesh = body.to_mesh64()
        triangles = np.asarray(mesh.tri_verts).astype(np.int32)
        origin = np.asarray(mesh.face_id).astype(np.int32)
        ends = np.asarray(mesh.run_index).astype(np.int64) // 3
        own = {int(run): runs.get(int(run)) for run in np.asarray(mesh.run_original_id)}
        made = table(own.values())
        for number, face in enumerate(own[int(run)] for run in np.asarray(mesh.run_original_id)):
            if face is not None:
                origin[ends[number] : ends[number + 1]] = -1 - made.index(face)
        solid = cls(np.array(mesh.vert_properties)[:, :3], triangles, origin, made)
        solid.__dict__["manifold"] = body
        solid.__dict__["_runs"] = {**dict(runs), **own}
        return solid

    def by(self, owner: str, role: str = CUT) -> Bools:
        """Which facets somebody made in a given role.

        Returns
        -------
        (m,) bool
        """
        face = Face(owner, role)
        if face not in self.made:
            return np.zeros(len(self.triangles), np.bool_)
        return np.asarray(self.origin == -1 - self.made.index(face))

    def origin_in(self, made: tuple[Face, ...]) -> Ints32:
        """The origins, expressed in another table that contains all of its faces.

        Returns
        -------
        (m,) int32
        """
        if self.made == made or not self.made:
            return self.origin
        numbers = np.array([-1 - made.index(face) for face in self.made], np.int32)
        on_skin = self.origin >= 0
        return np.asarray(np.where(on_skin, self.origin, numbers[np.where(on_skin, 0, -1 - self.origin)]))

    def resized(self, factors: Floats) -> Solid:
        """The solid scaled along each axis. With factors of 1 it is the solid itself, with everything that was
        derived from it. An odd number of negative factors mirrors it; its facets still face outward.

        Parameters
        ----------
        factors : (3,) float64
        """
        if np.all(factors == 1.0):
            return self
        mirrored = np.prod(np.sign(factors)) < 0
        triangles = self.triangles[:, [0, 2, 1]] if mirrored else self.triangles
        return Solid(self.vertices * factors, triangles, self.origin, self.made)

    def picked(self, chosen: Bools) -> Solid:
        """The chosen triangles as a solid of their own.

        Parameters
        ----------
        chosen : (m,) bool
        """
        return Solid(*in_use(self.vertices, self.triangles[chosen]), self.origin[chosen], self.made)

    def divided(self, of: AnyInts, count: int) -> list[Solid]:
        """The triangles of each group as a solid of their own.

        Parameters
        ----------
        of : (m,) int
            The group of each triangle, 0 to ``count`` - 1.
        count : int
            How many groups there are.
        """
        if count <= _FEW:
            return [self.picked(of == number) for number in range(count)]
        order = np.argsort(of, kind="stable")
        ends = np.searchsorted(of[order], np.arange(count + 1))
        found = []
        for number in range(count):
            own = order[ends[number] : ends[number + 1]]
            used, triangles = np.unique(self.triangles[own], return_inverse=True)
            own_triangles = triangles.reshape(-1, 3).astype(np.int32)
            found.append(Solid(self.vertices[used], own_triangles, self.origin[own], self.made))
        return found

    @cached_property
    def sha256(self) -> str:
        """A hash of the coordinates (as float32) and the triangles."""
        digest = hashlib.sha256(self.vertices.astype("<f4").tobytes())
        digest.update(self.triangles.astype("<i4").tobytes())
        return digest.hexdigest()


def side_by_side(solids: Sequence[Solid]) -> Solid:
    """Several solids as one, without joining them. The triangles keep their order and their origins."""
    if len(solids) == 1:
        return solids[0]
    starts = np.cumsum([0] + [len(solid.vertices) for solid in solids[:-1]])
    triangles = [solid.triangles + np.int32(start) for solid, start in zip(solids, starts, strict=True)]
    made = table(face for solid in solids for face in solid.made)
    return Solid(
        np.concatenate([solid.vertices for solid in solids]),
        np.concatenate(triangles),
        np.concatenate([solid.origin_in(made) for solid in solids]),
        made,
    )


def spread_points(
    solid: Solid, count: int, chosen: Bools | None = None
) -> tuple[Floats, Ints]:
    """Points spread evenly over a surface by area; the same ones each time.

    Parameters
    ----------
    count : int
        How many points.
    chosen : (m,) bool
        The facets to spread them over, all by default. Their area must not be zero.

    Returns
    -------
    (count, 3) float64, (count,) int64
        The points, and the facet that each lies on.
    """
    rng = np.random.default_rng(1)
    weight = solid.areas if chosen is None else solid.areas * chosen
    facets = rng.choice(len(solid.triangles), count, p=weight / weight.sum())
    u, v = rng.random((2, count, 1))
    over = (u + v > 1)[:, 0]
    u[over], v[over] = 1 - u[over], 1 - v[over]
    a, b, c = (solid.vertices[solid.triangles[facets, k]] for k in range(3))
    return np.asarray(a + u * (b - a) + v * (c - a)), facets


_MOST_SLICES = 32
"""At a time, so that what is not worth dividing on is known soon."""
_NEEDLE = 4.0
"""How many times as long as its shortest side a facet is that is sliced and not quartered."""


def finer(corners: Floats, longest: float, keep: Callable[[Floats], Bools] | None = None) -> Iterator[Floats]:
    """Divide facets until no side is longer than ``longest``.

    Parameters
    ----------
    corners : (n, 3, 3) float64
        The corners of the facets.
    longest : float
        The greatest length of a side.
    keep : Callable[[Floats], Bools] | None
        Called with facets (k, 3, 3); returns which of them are worth dividing further.

    Yields
    ------
    (k, 3, 3) float64
        The small facets, in batches.
    """
    while len(corners):
        sides = np.linalg.norm(np.roll(corners, -1, axis=1) - corners, axis=2)
        long = sides.max(axis=1) > longest
        yield corners[~long]
        needles = long & (sides.max(axis=1) > _NEEDLE * sides.min(axis=1))
        sliced = _sliced(corners[needles], sides[needles], longest)
        corners = np.concatenate([_quartered(corners[long & ~needles]), sliced])
        if keep is not None:
            corners = corners[keep(corners)]


def _quartered(corners: Floats) -> Floats:
    """Each facet divided into four of the same shape.

    Parameters
    ----------
    corners : (n, 3, 3) float64

    Returns
    -------
    (4 n, 3, 3) float64
    """
    a, b, c = np.moveaxis(corners, 1, 0)
    ab, bc, ca = (a + b) / 2, (b + c) / 2, (c + a) / 2
    return np.concatenate([np.stack(three, axis=1) for three in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))])


def _sliced(corners: Floats, sides: Floats, longest: float) -> Floats:
    """Facets sliced across their two longer sides. Dividing a needle-shaped facet into quarters would give thousands
    of needles.

    Parameters
    ----------
    sides : (n, 3) float64
        The vector from each corner to the next.
    """
    order = (sides.argmin(axis=1)[:, None] + [2, 0, 1]) % 3
    tip, left, right = np.moveaxis(np.take_along_axis(corners, order[:, :, None], axis=1), 1, 0)
    slices = np.clip(np.ceil(sides.max(axis=1) / longest), 2, _MOST_SLICES).astype(int)
    of = np.repeat(np.arange(len(slices)), slices)
    nth = np.arange(len(of)) - np.repeat(np.cumsum(slices) - slices, slices)
    near, far = (((nth + k) / slices[of])[:, None] for k in (0, 1))
    a, b = (tip[of] + share * (left - tip)[of] for share in (near, far))
    d, c = (tip[of] + share * (right - tip)[of] for share in (near, far))
    return np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)[nth > 0]])
