"""Which points of a piece need a post, and everything that is known about the posts that stand there."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import manifold3d
import numpy as np

from ..arrays import Bools, Floats, Floats32
from ..figures.wall_thickness import through
from ..layers import region_kernels
from ..layers.regions import regions_of
from ..layers.sections import Levels, Slicer
from ..locale.translate import tr
from ..mesh.solid import Solid, side_by_side, spread_points
from ..plan.supports import SLENDER_DIAMETERS
from ..progress import QUIET, Job
from .bodies import cone, post, sketched
from .routes import Measures, Obstacle, Routes, routed

SPACING = (5.0, 2.5)
"""mm from tip to tip, where the surface is just past the threshold and where it is level (measured to hold)."""
_PER_MM2 = 1.5
_MOST_POINTS = 60_000
_BRACE_REACH = 8.0
_ROUNDS = 3
_ROW = 0.1
_AGAIN = 0.2
"""mm of the layers by which it is looked at again with its posts."""
_SAME = 0.2
"""mm between places that are one."""


@dataclass(frozen=True, eq=False)
class PostPlacement:
    """The posts of a piece in its seat.

    Attributes
    ----------
    points, normals : (k, 3) float64
        Where they touch: points in mm and unit vectors, model frame.
    for_island : (k,) bool
        Whether each one holds the beginning of an island.
    routes : Routes
        Their routes.
    braces : (b, 2, 3) float64, mm, on the bed
        The ends of each brace.
    unheld : (u, 3) float64, mm, model frame
        Islands that no post can reach.
    """

    points: Floats
    normals: Floats
    for_island: Bools
    routes: Routes
    braces: Floats
    unheld: Floats

    @property
    def made(self) -> Bools:
        """Which of them have a route.

        Returns
        -------
        (k,) bool
        """
        return np.asarray(self.routes.lands != "nowhere")


def needs_posts(
    ground: Obstacle, past: Floats32, clear: Bools, known: Floats, layer: float
) -> tuple[Floats, Floats]:
    """Points where posts are needed besides the known ones, the lowest first: no point past the threshold is farther
    from a post than the spacing for its angle.

    Parameters
    ----------
    past : (m,) float32, degrees
        How far past the threshold each facet is; -1 if it needs nothing.
    clear : (m,) bool
        Facets that no post may touch.
    known : array of float64
        The points of the posts that are there already.
    layer : float, mm
        What is lower than one layer lies on the bed.

    Returns
    -------
    (k, 3) float64, (k, 3) float64
        Points in mm, model frame, and outward unit vectors.
    """
    from scipy.spatial import cKDTree

    solid = ground.solid
    chosen = (past >= 0) & ~clear
    nothing = np.empty((0, 3))
    if not chosen.any():
        return nothing, nothing
    count = int(np.clip(_PER_MM2 * float(solid.areas[chosen].sum()), 50, _MOST_POINTS))
    points, facets = spread_points(solid, count, chosen)
    heights = ground.on_bed(points)[:, 2]
    order = np.argsort(heights, kind="stable")
    order = order[heights[order] >= layer]
    points, facets = points[order], facets[order]
    most = max(float(past.max()), 1.0)
    wide, narrow = SPACING
    spacing = wide - (wide - narrow) * np.clip(past[facets] / max(most, 45.0), 0.0, 1.0)
    tree = cKDTree(points)
    free = np.ones(len(points), np.bool_)
    for point in known:
        near = np.array(tree.query_ball_point(point, wide), np.int64)
        free[near[np.linalg.norm(points[near] - point, axis=1) < spacing[near]]] = False
    taken = []
    for n in range(len(points)):
        if free[n]:
            taken.append(n)
            near = np.array(tree.query_ball_point(points[n], wide), np.int64)
            free[near[np.linalg.norm(points[near] - points[n], axis=1) < spacing[near]]] = False
    return points[taken], solid.normals[facets[taken]]


def islands_of(
    solid: Solid, layer: float, least: float, row: float = _ROW, job: Job = QUIET
) -> Floats:
    """A point inside each island of a solid, as it sits on the bed or over it.

    Parameters
    ----------
    layer : float, mm
    least : float, mm2
        The area that an island must grow to.
    row : float, mm
        See ``regions_of``.

    Returns
    -------
    (k, 3) float64, mm, on the bed

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    vertices = np.asarray(solid.vertices)
    levels = Levels(0.0, layer, float(vertices[:, 2].max()))
    regions = regions_of(Slicer.of(solid, vertices), levels, row, job=job).solid
    island, _, most = region_kernels.followed_solid(
        regions.layer, regions.area, regions.over, regions.below, levels.resting
    )
    begun = np.flatnonzero((island == np.arange(len(island))) & (most >= least))
    return np.column_stack([regions.place[begun], levels.middles[regions.layer[begun]]])


def undersides(ground: Obstacle, inside: Floats) -> tuple[Floats, Floats]:
    """The surface straight below points on the bed.

    Parameters
    ----------
    inside : (k, 3) float64, mm, on the bed

    Returns
    -------
    (k, 3) float64, (k, 3) float64
        Points in mm, model frame, and outward unit vectors.
    """
    places = ground.on_model(inside)
    down = np.broadcast_to(-ground.rotation[2], places.shape)
    length, facets = through(ground.solid, places, np.ascontiguousarray(down))
    good = np.isfinite(length)
    return places[good] + length[good, None] * down[good], ground.solid.normals[facets[good]]


def stood(
    ground: Obstacle, points: Floats, normals: Floats, for_island: Bools, measures: Measures,
    feet: Floats | None = None,
) -> PostPlacement:
    """Posts to given points.

    Parameters
    ----------
    points, normals : (k, 3) float64
        Points in mm, model frame, and outward unit vectors.
    feet : (k, 3) float64, mm, model frame
        See ``routed``.
    """
    contact, out = ground.on_bed(points), normals @ ground.rotation.T
    asked = np.full(points.shape, np.nan) if feet is None else ground.on_bed(feet)
    routes = routed(ground, contact, out, measures, asked)
    return PostPlacement(points, normals, for_island, routes, braces_for(ground, routes, measures), np.empty((0, 3)))


def proposed(
    ground: Obstacle, past: Floats32, clear: Bools, known: tuple[Floats, Floats], layer: float,
    least: float, measures: Measures, job: Job = QUIET,
) -> PostPlacement:
    """Posts for everything that is not held: a tip where each island begins, and tips wherever the surface is past
    the threshold. Then the piece is examined again with its posts, and more are added.

    Parameters
    ----------
    past, clear : array of float32
        As for ``needs_posts``.
    known : tuple[Floats, Floats]
        The points and normals (k, 3) of posts that are there already.
    layer : float, mm
    least : float, mm2
        Smaller islands do not count.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    begin, facing = undersides(ground, islands_of(ground.solid_on_bed, layer, least, job=job.part(0.0, 0.3)))
    points, normals = np.concatenate([known[0], begin]), np.concatenate([known[1], facing])
    more, out = needs_posts(ground, past, clear, points, layer)
    island = np.r_[np.zeros(len(known[0]), np.bool_), np.ones(len(begin), np.bool_), np.zeros(len(more), np.bool_)]
    points, normals = np.concatenate([points, more]), np.concatenate([normals, out])
    standing, left = stood(ground, points, normals, island, measures), np.empty((0, 3))
    for number in range(_ROUNDS):
        step = job.part(0.3 + 0.7 * number / _ROUNDS, 0.3 + 0.7 * (number + 1) / _ROUNDS)
        left = islands_with(ground, standing, measures, layer, least, step)
        begin, facing = undersides(ground, left)
        fresh = np.array(
            [not (len(points) and np.linalg.norm(points - one, axis=1).min() < _SAME) for one in begin], bool
        )
        if not fresh.any():
            break
        points, normals = np.concatenate([points, begin[fresh]]), np.concatenate([normals, facing[fresh]])
        island = np.r_[island, np.ones(int(fresh.sum()), np.bool_)]
        standing = stood(ground, points, normals, island, measures)
    unheld = ground.on_model(left) if len(left) else np.empty((0, 3))
    return replace(standing, unheld=unheld)


def islands_with(
    ground: Obstacle, standing: PostPlacement, measures: Measures, layer: float, least: float, job: Job = QUIET
) -> Floats:
    """A point inside each island that a piece still has with its posts.

    Parameters
    ----------
    layer : float, mm
        No finer than needed to see whether a tip is there.
    least : float, mm2

    Returns
    -------
    (k, 3) float64, mm, on the bed

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    both = side_by_side([ground.solid_on_bed, sketched(standing.routes, standing.braces, measures)])
    return islands_of(both, max(layer, _AGAIN), least, _AGAIN, job)


def braces_for(ground: Obstacle, routes: Routes, measures: Measures) -> Floats:
    """Braces: rods at 45 degrees from posts that are too slender to their nearest neighbours.

    Returns
    -------
    (b, 2, 3) float64, mm, on the bed
    """
    from scipy.spatial import cKDTree

    upright = np.flatnonzero(routes.lands == "bed")
    long = upright[routes.lengths[upright] > SLENDER_DIAMETERS * measures.stem]
    found: list[Floats] = []
    paired = set[tuple[int, int]]()
    if len(upright) < 2 or not len(long):
        return np.empty((0, 2, 3))
    tree, every = cKDTree(routes.end[upright][:, :2]), SLENDER_DIAMETERS * measures.stem
    for n in long:
        foot, top = routes.end[n], float(routes.bend[n][2])
        away, near = tree.query(foot[:2], k=min(4, len(upright)), distance_upper_bound=_BRACE_REACH)
        for distance, other in zip(np.atleast_1d(away), np.atleast_1d(near), strict=True):
            if not math.isfinite(distance) or distance < 1e-6:
                continue
            pair = (min(int(n), int(upright[other])), max(int(n), int(upright[other])))
            if pair in paired:
                break
            to = routes.end[upright[other]]
            most = min(top, float(routes.bend[upright[other]][2])) - distance
            levels = np.arange(0.5 * every, most, every)
            found += [np.array([[*foot[:2], z], [*to[:2], z + distance]]) for z in levels]
            if len(levels):
                paired.add(pair)
                break
    if not found:
        return np.empty((0, 2, 3))
    braces = np.array(found)
    return np.asarray(braces[ground.free(braces[:, 0], braces[:, 1], measures.stem / 2)])


def bodies_of(standing: PostPlacement, measures: Measures) -> list[manifold3d.Manifold]:
    """The posts, one body each, followed by their braces. Nothing extends below the bed: where a tip is nearer to it
    than a stem is thick, round ends are cut off.
    """
    posts = [post(standing.routes, n, measures) for n in range(len(standing.points))]
    rods = [cone(start, end, measures.stem / 3, measures.stem / 3) for start, end in standing.braces]
    found = []
    for body in posts + rods:
        if not body.is_empty():
            under = body.bounding_box()[2] < 0.0
            found.append(body.trim_by_plane((0.0, 0.0, 1.0), 0.0) if under else body)
    return found


def in_one(
    ground: Obstacle, bodies: list[manifold3d.Manifold], under: manifold3d.Manifold | None = None, job: Job = QUIET
) -> tuple[Solid, Solid]:
    """The piece united with its posts, and the posts alone, each as one closed body on the bed.

    Parameters
    ----------
    bodies : list[manifold3d.Manifold]
        See ``bodies_of``.
    under : manifold3d.Manifold | None
        A plate; see ``bodies.plate``.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    job.step(0.1, tr("Building the posts"))
    posts = manifold3d.Manifold.batch_boolean([*bodies, *([under] if under is not None else [])], manifold3d.OpType.Add)
    job.step(0.6, tr("Joining the posts to the piece"))
    whole = ground.solid_on_bed.manifold + posts
    return Solid.from_manifold(whole, {}), Solid.from_manifold(posts, {})
