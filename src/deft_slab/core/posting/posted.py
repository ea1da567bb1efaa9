"""The posts of a plan, on its pieces as they sit."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ..judge.marks import facets_at
from ..kept import Kept
from ..outcome import Piece
from ..posts import PostSet
from ..printer import Printer
from ..progress import QUIET, Job
from ..reports import PostsReport
from ..solid import Solid
from .bodies import sketched
from .routes import Ground, Measures
from .standing import Standing, in_one, proposed, stood

Floats = NDArray[np.float64]

_ON = 0.3
"""mm that a post may lie off the surface and still touch it."""
_REFUSED = 1.5
"""mm around where a post was taken away, within which none is proposed."""
_CLEAR = 4
"""The bit of clear spots among the marks."""


def ground_of(piece: Piece) -> Ground:
    """A piece as it sits."""
    low = float((piece.solid.vertices @ piece.seat.rotation[2]).min())
    return Ground(piece.solid, piece.seat.rotation, np.array([0.0, 0.0, piece.lift - low]))


def piece_for(posts: PostSet, pieces: Sequence[Piece]) -> int | None:
    """The number of the piece that some posts are of: of those on its sides the nearest one."""
    alike = [
        (math.dist(posts.anchor, piece.anchor), n)
        for n, piece in enumerate(pieces)
        if piece.sides == posts.sides and not piece.extra
    ]
    return min(alike)[1] if alike else None


def measures_of(posts: PostSet) -> Measures:
    """What they measure."""
    return Measures(tip=posts.tip, stem=posts.stem, foot=3.0 * posts.stem)


def standing_of(posts: PostSet, piece: Piece) -> tuple[Standing, NDArray[np.bool_]]:
    """(the posts that still touch the surface, (k,) which of all these are)."""
    ground = ground_of(piece)
    at = np.array([post.at for post in posts.posts]).reshape(-1, 3)
    facets = facets_at(piece.solid, at) if len(at) else np.empty(0, np.int64)
    normals = piece.solid.normals[facets]
    off = np.abs(np.einsum("ij,ij->i", at - piece.solid.centroids[facets], normals))
    on = off <= _ON
    return stood(ground, at[on], normals[on], np.zeros(int(on.sum()), np.bool_), measures_of(posts)), on


def posts_report(posts: PostSet, number: int, piece: Piece) -> PostsReport:
    """What becomes of the posts of a piece, by its number."""
    ground, measures = ground_of(piece), measures_of(posts)
    standing, on = standing_of(posts, piece)
    count = len(posts.posts)
    lands = np.full(count, "off", dtype="<U7")
    lands[on] = standing.routes.lands
    lengths, walls = np.zeros(count), np.full(count, np.inf)
    lengths[on], walls[on] = standing.routes.lengths, standing.routes.wall
    leans = np.zeros(count, np.bool_)
    leans[on] = np.linalg.norm(standing.routes.bend - standing.routes.joint, axis=1) > 1e-6
    at = np.array([post.at for post in posts.posts]).reshape(-1, 3)
    show = np.zeros(count, np.bool_)
    if count:
        show = (piece.marks[facets_at(piece.solid, at)] & 1) > 0
    drawn = sketched(standing.routes, standing.braces, measures)
    made = np.isin(lands, ("bed", "piece"))
    tips = float(made.sum() + (lands == "piece").sum())
    # stems, a cone under each tip and over each foot, braces: rods by their formulas
    stem, tip, foot = measures.stem / 2, measures.tip / 2, measures.foot / 2
    cone = math.pi * measures.tip_length / 3 * (stem**2 + stem * tip + tip**2)
    base = math.pi * measures.foot_height / 3 * (foot**2 + foot * stem - 2 * stem**2)
    braces = np.linalg.norm(standing.braces[:, 1] - standing.braces[:, 0], axis=1).sum()
    volume = (
        math.pi * stem**2 * float(lengths[made].sum()) + cone * tips + base * float((lands == "bed").sum())
        + math.pi * (stem / 1.5) ** 2 * float(braces)
    )  # fmt: skip
    return PostsReport(
        number, tuple(post.id for post in posts.posts), tuple(map(str, lands)), lengths, walls, show, leans, at,
        len(standing.braces), volume, measures.contact * tips, measures.contact * float((made & show).sum()),
        ground.on_model(drawn.vertices), drawn.triangles,
    )  # fmt: skip


def with_posts(
    sets: Sequence[PostSet], pieces: list[Piece], printer: Printer, kept: Kept
) -> tuple[list[Piece], dict[str, PostsReport]]:  # fmt: skip
    """(the pieces, those with posts with the volume of these as their support, and what tips touch; what became of the
    posts, by the id of their set)."""
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
            f = piece.figures
            plastic = report.volume - printer.support_density * f.support_volume_mm3
            figures = replace(
                f, support_volume_mm3=report.volume, support_inside_mm3=0.0, touched_area_mm2=report.area,
                show_scar_mm2=report.on_show, material_g=f.material_g + plastic * printer.material_density / 1000,
            )  # fmt: skip
            nothing = (np.empty((0, 3)), np.empty((0, 3), np.int32))
            after[number] = replace(piece, figures=figures, skin=nothing)
    return after, reports


def proposed_points(
    posts: PostSet, piece: Piece, layer: float, least: float, job: Job = QUIET
) -> tuple[Floats, Floats]:  # fmt: skip
    """((k, 3) mm, model frame, of all points that need a post besides those placed by hand; (u, 3) mm of islands that
    none could be brought to).

    layer : mm; least : mm2, of islands that count. Raises Cancelled.
    """
    ground = ground_of(piece)
    own = np.array([post.at for post in posts.posts if post.own]).reshape(-1, 3)
    facets = facets_at(piece.solid, own) if len(own) else np.empty(0, np.int64)
    known = (own, piece.solid.normals[facets])
    clear = (piece.marks & _CLEAR) > 0
    found = proposed(ground, piece.past_threshold, clear, known, layer, least, measures_of(posts), job)
    points = found.points[len(own) :][found.made[len(own) :]]
    if len(posts.refused) and len(points):
        away = np.linalg.norm(points[:, None] - np.array(posts.refused)[None], axis=2).min(axis=1)
        points = points[away > _REFUSED]
    return points, found.unheld


def in_bodies(sets: Sequence[PostSet], pieces: Sequence[Piece], job: Job = QUIET) -> list[Piece]:
    """The pieces as they are printed: those with posts in one body with them, standing on the bed. Raises Cancelled."""
    after = list(pieces)
    for done, posts in enumerate(sets):
        number = piece_for(posts, pieces)
        if number is None:
            continue
        piece, step = pieces[number], job.part(done / len(sets), (done + 1) / len(sets))
        ground = ground_of(piece)
        standing, _ = standing_of(posts, piece)
        if standing.made.any():
            whole, _ = in_one(ground, standing, measures_of(posts), job=step)
            solid = Solid(ground.on_model(whole.vertices), whole.triangles)
            after[number] = replace(piece, solid=solid, lift=0.0)
    return after
