"""The posts of a plan on its pieces in their seats."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from ..arrays import Bools, Floats, Ints
from ..cache import Cache
from ..document.marks import CLEAR, HOLD, SHOW
from ..figures.marked_facets import facets_at
from ..joins.reports import PostsReport
from ..mesh.solid import Solid, side_by_side
from ..plan.piece_matching import nearest_alike
from ..plan.supports import Post, PostSet
from ..printers.profile import Printer
from ..progress import QUIET, Job
from ..results.outcome import Piece
from .bodies import sketched, volume_of
from .placement import PostPlacement, bodies_of, in_one, proposed, stood
from .routes import Measures, Obstacle, on_surface

_REFUSED = 1.5
"""mm around where a post was taken away, within which none is proposed."""


def ground_of(piece: Piece) -> Obstacle:
    """A piece in its seat, as an obstacle for posts."""
    return Obstacle(piece.solid, piece.seat.rotation, piece.lift)


def piece_for(posts: PostSet, pieces: Sequence[Piece]) -> int | None:
    """The number of the piece that a set of posts belongs to; see ``nearest_alike``. What is printed apart, which
    comes last, gets none.
    """
    return nearest_alike(posts, [piece for piece in pieces if not piece.extra])


def measures_of(posts: PostSet, one: Post | None = None) -> Measures:
    """The measures of the posts of a set, or of one of them."""
    tip = posts.tip if one is None or one.tip is None else one.tip
    stem = posts.stem if one is None or one.stem is None else one.stem
    return Measures(tip=tip, stem=stem, foot=3.0 * stem)


@dataclass(frozen=True, eq=False)
class PostsOfOneSize:
    """Posts of one size.

    Attributes
    ----------
    standing : PostPlacement
        Those that still touch the surface.
    numbers : (k,) int64
        Their numbers in the set.
    """

    measures: Measures
    standing: PostPlacement
    numbers: Ints


def standing_of(posts: PostSet, piece: Piece) -> list[PostsOfOneSize]:
    """The posts of a set that still touch the surface, grouped by size."""
    ground = ground_of(piece)
    at = np.array([post.at for post in posts.posts]).reshape(-1, 3)
    nothing = np.empty(0, np.int64), np.empty(0, np.bool_)
    facets, touching = on_surface(piece.solid, at) if len(at) else nothing
    normals = piece.solid.normals[facets]
    feet = np.array([post.foot or (np.nan,) * 3 for post in posts.posts], float).reshape(-1, 3)
    sizes = [measures_of(posts, post) for post in posts.posts]
    found = []
    for measures in dict.fromkeys(sizes):
        numbers = np.array([n for n, size in enumerate(sizes) if size == measures and touching[n]], np.int64)
        standing = stood(ground, at[numbers], normals[numbers], np.zeros(len(numbers), np.bool_), measures,
                         feet[numbers])
        found.append(PostsOfOneSize(measures, standing, numbers))
    return found


def posts_report(posts: PostSet, number: int, piece: Piece) -> PostsReport:
    """What becomes of the posts of a piece, given its number."""
    ground, count = ground_of(piece), len(posts.posts)
    at = np.array([post.at for post in posts.posts]).reshape(-1, 3)
    lands = np.full(count, "off", dtype="<U7")
    lengths, walls, area = np.zeros(count), np.full(count, np.inf), np.zeros(count)
    leans, as_asked = np.zeros(count, np.bool_), np.zeros(count, np.bool_)
    drawn, braces, volume = list[Solid](), 0, 0.0
    for alike in standing_of(posts, piece):
        routes, own = alike.standing.routes, alike.numbers
        lands[own], lengths[own], walls[own] = routes.lands, routes.lengths, routes.wall
        leans[own], as_asked[own] = routes.leans, routes.as_asked
        area[own] = alike.measures.contact * ((routes.lands == "bed") + 2.0 * (routes.lands == "piece"))
        braces += len(alike.standing.braces)
        volume += volume_of(alike.standing.routes, alike.standing.braces, alike.measures)
        drawn.append(sketched(routes, alike.standing.braces, alike.measures))
    show = (piece.marks[facets_at(piece.solid, at)] & SHOW) > 0 if count else np.zeros(0, np.bool_)
    sketch = side_by_side(drawn) if drawn else Solid(np.empty((0, 3)), np.empty((0, 3), np.int32))
    stands = (lands == "bed") | (lands == "piece")
    return PostsReport(
        number, tuple(post.id for post in posts.posts), tuple(map(str, lands)), lengths, walls, show, leans, as_asked,
        held_by(at, stands, piece), at, braces, volume, float(area.sum()), float(area[show].sum()),
        ground.on_model(sketch.vertices), sketch.triangles,
    )


def held_by(at: Floats, stands: Bools, piece: Piece) -> Floats:
    """The area past the threshold that is nearer to each post than to any other that stands.

    Parameters
    ----------
    at : (k, 3) float64, mm, model frame
        The tips.

    Returns
    -------
    (k,) float64, mm2
    """
    from scipy.spatial import cKDTree

    held, past = np.zeros(len(at)), piece.past_threshold >= 0
    if stands.any() and past.any():
        _, nearest = cKDTree(at[stands]).query(piece.solid.centroids[past])
        held[stands] = np.bincount(nearest, piece.solid.areas[past], int(stands.sum()))
    return held


def with_posts(
    sets: Sequence[PostSet], pieces: list[Piece], printer: Printer, kept: Cache
) -> tuple[list[Piece], dict[str, PostsReport]]:
    """The pieces with the figures of their posts, which replace those of the usual support; and what became of the
    posts, by the id of their set.
    """
    after, reports = list(pieces), dict[str, PostsReport]()
    for posts in sets:
        number = piece_for(posts, pieces)
        if number is None:
            reports[posts.id] = PostsReport(None)
            continue
        piece = pieces[number]
        key = ("posts", posts, piece.solid.sha256, piece.seat, piece.lift, piece.marks.tobytes())
        report = kept.once(key, partial(posts_report, posts, number, piece))
        reports[posts.id] = report
        if report.made.any():
            f, own = piece.figures, piece.on(printer)
            plastic = report.volume - own.support_density * f.support_volume_mm3
            figures = replace(
                f, support_volume_mm3=report.volume, support_inside_mm3=0.0, touched_area_mm2=report.area,
                show_scar_mm2=report.on_show, material_g=f.material_g + plastic * own.material_density / 1000,
            )
            nothing = (np.empty((0, 3)), np.empty((0, 3), np.int32))
            after[number] = replace(piece, figures=figures, skin=nothing)
    return after, reports


def proposed_points(
    posts: PostSet, piece: Piece, layer: float, least: float, job: Job = QUIET
) -> tuple[Floats, Floats]:
    """Points that need a post, besides those placed by hand.

    Parameters
    ----------
    layer : float, mm
    least : float, mm2
        Smaller islands do not count.

    Returns
    -------
    (k, 3) float64, (u, 3) float64, mm, model frame
        The points, and islands that no post can reach.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    ground = ground_of(piece)
    own = np.array([post.at for post in posts.posts if post.own]).reshape(-1, 3)
    facets = facets_at(piece.solid, own) if len(own) else np.empty(0, np.int64)
    known = (own, piece.solid.normals[facets])
    found = proposed_for(piece, ground, known, layer, least, measures_of(posts), job)
    points = found.points[len(own) :][found.made[len(own) :]]
    if len(posts.refused) and len(points):
        away = np.linalg.norm(points[:, None] - np.array(posts.refused)[None], axis=2).min(axis=1)
        points = points[away > _REFUSED]
    return points, found.unheld


def proposed_for(
    piece: Piece, ground: Obstacle, known: tuple[Floats, Floats], layer: float, least: float, measures: Measures,
    job: Job = QUIET,
) -> PostPlacement:
    """As ``proposed``, but respecting the marks of a piece: hold spots get tips even where the surface is not past
    the threshold, clear spots get none.

    Parameters
    ----------
    known : tuple[Floats, Floats]
        The points and normals (k, 3) of posts that are there already, in mm, model frame.
    layer : float, mm
    least : float, mm2
        Smaller islands do not count.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    down = piece.solid.normals @ piece.seat.rotation[2] < 0
    past = np.where(((piece.marks & HOLD) > 0) & down & (piece.past_threshold < 0), 0.0, piece.past_threshold)
    clear = (piece.marks & CLEAR) > 0
    return proposed(ground, past.astype(np.float32), clear, known, layer, least, measures, job)


def in_bodies(sets: Sequence[PostSet], pieces: Sequence[Piece], job: Job = QUIET) -> list[Piece]:
    """The pieces as they are printed: each piece that has posts is united with them, standing on the bed.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    after = list(pieces)
    for done, posts in enumerate(sets):
        number = piece_for(posts, pieces)
        if number is None:
            continue
        piece, step = pieces[number], job.part(done / len(sets), (done + 1) / len(sets))
        ground = ground_of(piece)
        groups = standing_of(posts, piece)
        if any(alike.standing.made.any() for alike in groups):
            bodies = [body for alike in groups for body in bodies_of(alike.standing, alike.measures)]
            whole, _ = in_one(ground, bodies, job=step)
            solid = Solid(ground.on_model(whole.vertices), whole.triangles)
            after[number] = replace(piece, solid=solid, lift=0.0)
    return after
