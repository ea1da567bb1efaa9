"""Support posts of the selected piece: proposed, added, removed, made thicker."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from ...core.arrays import Floats
from ...core.document.base import free_ids, triple
from ...core.joins.reports import PostsReport
from ...core.locale.translate import tr
from ...core.plan.plan import Plan
from ...core.plan.supports import Post, PostSet
from ..messages.check import ProposePosts
from ..messages.replies import PostsProposed
from .desk import Desk
from .inspection import Checking
from .pointing import FOOT, Pointing
from .validation import validated

ADD, AWAY, PICK = "post", "post away", "post pick"
"""What is pointed at for while posts are added, taken away, or one is picked to be changed."""
AROUND, AWAY_AROUND = "posts around", "posts away around"
"""The same for a region: posts are proposed, or all taken away, within some mm of a click."""
_NEAR = 6.0
"""mm around a click within which the nearest post is taken away."""


class Posting(QObject):
    """The support posts of the selected piece.

    Attributes
    ----------
    measures : Measures
        The measures for pieces that have no posts yet.
    unheld : (k, 3) float64, mm, model frame
        Islands that the last proposal could not reach.
    selected : str or None
        The id of the selected post.
    reach : float, mm
        The size of the region around a click.
    """

    changed = Signal()
    flown_to = Signal(int, object, object)
    """The number of a piece, a place (3,) mm on the model, and the way out of it there."""

    def __init__(self, desk: Desk, pointing: Pointing, checking: Checking) -> None:
        super().__init__(desk)
        self._desk, self._pointing, self._checking = desk, pointing, checking
        self.measures: dict[str, float] = {"tip": 0.3, "stem": 0.8}
        self.unheld: Floats = np.empty((0, 3))
        self.selected: str | None = None
        self.reach = 15.0
        pointing.answer(ADD, self._on_added)
        pointing.answer(AWAY, self._on_away)
        pointing.answer(PICK, self._on_picked)
        pointing.answer(FOOT, self._on_foot)
        pointing.answer(AROUND, self._on_around)
        pointing.answer(AWAY_AROUND, self._on_away_around)
        desk.opened.connect(self._forget)
        for signal in (desk.outcome_changed, desk.selection_changed, desk.project_changed):
            signal.connect(self.changed)

    def _forget(self) -> None:
        self.unheld, self.selected = np.empty((0, 3)), None
        self.changed.emit()

    # what there is

    @property
    def post(self) -> Post | None:
        """The selected post."""
        posts = self.posts
        return next((one for one in posts.posts if one.id == self.selected), None) if posts is not None else None

    @property
    def posts(self) -> PostSet | None:
        """The posts of the selected piece; None if it has none."""
        desk = self._desk
        if desk.piece is None or not desk.is_open:
            return None
        number = desk.piece.number - 1
        reports = desk.evaluated.outcome.posts if desk.evaluated is not None else {}
        for one in desk.plan.posts:
            report = reports.get(one.id)
            if report.piece == number if report is not None else one.sides == desk.piece.sides:
                return one
        return None

    @property
    def report(self) -> PostsReport | None:
        """The report on them when they were evaluated."""
        posts, desk = self.posts, self._desk
        if posts is None or desk.evaluated is None:
            return None
        return desk.evaluated.outcome.posts.get(posts.id)

    def _now(self) -> PostSet:
        """The posts of the selected piece, or an empty set. There must be a piece."""
        desk = self._desk
        assert desk.piece is not None
        ident = next(free_ids("s", {one.id for one in desk.plan.posts}))
        tip, stem = self.measures["tip"], self.measures["stem"]
        return self.posts or PostSet(id=ident, sides=desk.piece.sides, anchor=desk.piece.anchor, tip=tip, stem=stem)

    def _put(self, did: str, of: PostSet, **what: Any) -> None:
        """Put a changed set into the plan; a set without posts is removed from it. Values that make no sense are
        reported and change nothing.
        """
        plan = self._desk.plan

        def make() -> Plan:
            changed = validated(of, what, tr("A post"))
            others = tuple(one for one in plan.posts if one.id != of.id)
            kept = (changed,) if changed.posts or changed.refused else ()
            return plan.changed(posts=(*others, *kept))

        self._desk.change(did, make)

    # changing them

    def _ask(self, number: int, posts: PostSet, done: Callable[[PostsProposed], None]) -> None:
        """Ask for posts besides those that were placed by hand; the reply counts as long as the piece stays
        selected.
        """
        desk = self._desk
        asked = ProposePosts(desk.plan, desk.printer, number, posts, self._checking.layer)
        desk.ask("ask:posts", asked, done=done, label=tr("Placing posts"),
                 still=lambda: desk.piece is not None and desk.piece.number - 1 == number)

    def propose(self) -> None:
        """Propose posts for everything that is not held, besides those placed by hand, and not where some were
        removed.
        """
        desk = self._desk
        if desk.piece is None or desk.piece.extra:
            return
        posts, number = self._now(), desk.piece.number - 1

        def take_posts(found: PostsProposed) -> None:
            own = tuple(post for post in posts.posts if post.own)
            kept = posts.model_copy(update={"posts": own})
            fresh = kept.fresh_ids(len(found.points))
            made = tuple(Post(id=ident, at=triple(at)) for ident, at in zip(fresh, found.points, strict=True))
            self.unheld = found.unheld
            if not made and not own:
                desk.told.emit(tr("Nothing needs a post in this seat."))
            self._put(tr("propose posts"), kept, posts=(*own, *made))

        self._ask(number, posts, take_posts)

    def _on_around(self, number: int, facet: int, place: Floats) -> None:
        """Add posts for what is not held within reach of a click."""
        desk = self._desk
        if number != desk.selected_piece:
            desk.select_piece(number)
        if desk.piece is None or desk.piece.extra:
            return
        posts = self._now()
        all_kept = posts.model_copy(update={
            "posts": tuple(post.model_copy(update={"own": True}) for post in posts.posts), "refused": (),
        })

        def add_near(found: PostsProposed) -> None:
            near = found.points[np.linalg.norm(found.points - place, axis=1) <= self.reach]
            made = tuple(Post(id=ident, at=triple(at))
                         for ident, at in zip(posts.fresh_ids(len(near)), near, strict=True))
            if not made:
                desk.told.emit(tr("Everything there that needs a post has one."))
                return
            kept = tuple(one for one in posts.refused if np.linalg.norm(place - np.array(one)) > self.reach)
            self._put(tr("propose posts in a region"), posts, posts=(*posts.posts, *made), refused=kept)

        self._ask(number, all_kept, add_near)

    def set_reach(self, reach: float) -> None:
        """Set the size of the region around a click, in mm."""
        self.reach = reach
        self.changed.emit()

    def _on_away_around(self, number: int, facet: int, place: Floats) -> None:
        def change(posts: PostSet) -> dict[str, Any]:
            gone = [post for post in posts.posts if np.linalg.norm(place - np.array(post.at)) <= self.reach]
            kept = tuple(post for post in posts.posts if post not in gone)
            return {"posts": kept, "refused": (*posts.refused, *(post.at for post in gone))} if gone else {}

        self._on_clicked(number, change, tr("remove posts in a region"))

    def clear(self) -> None:
        """Remove all posts of the piece."""
        posts, desk = self.posts, self._desk
        if posts is not None:
            self.unheld = np.empty((0, 3))
            desk.do_plan(tr("remove all posts"), desk.plan.changed(
                posts=tuple(one for one in desk.plan.posts if one.id != posts.id)))

    def measure(self, **what: float) -> None:
        """Set the thickness of tips and stems, for the posts of the piece and for new ones."""
        posts = self.posts
        self.measures |= what
        if posts is not None:
            self._put(tr("change the posts"), posts, **what)
        self.changed.emit()

    # by hand

    def point(self, kind: str) -> None:
        """Let the user point at places to add or to remove posts.

        Parameters
        ----------
        kind : str
            ADD or AWAY.
        """
        self._pointing.begin("" if self._pointing.kind == kind else kind)

    def _on_added(self, number: int, facet: int, place: Floats) -> None:
        self._on_clicked(number, lambda posts: {
            "posts": (*posts.posts, Post(id=posts.fresh_ids(1)[0], at=triple(place), own=True)),
            "refused": tuple(one for one in posts.refused if np.linalg.norm(place - np.array(one)) > _NEAR / 4),
        }, tr("add a post"))

    def _on_picked(self, number: int, facet: int, place: Floats) -> None:
        if number != self._desk.selected_piece:
            self._desk.select_piece(number)
        near = nearest(self.posts, place)
        self.selected = near.id if near is not None else None
        self.changed.emit()

    def _on_foot(self, number: int, facet: int, place: Floats) -> None:
        """Make the selected post stand here, on the piece or on the bed; it leans to reach the place."""
        self._pointing.end()
        if number == self._desk.selected_piece:
            self.alter(foot=triple(place))

    def alter(self, **what: Any) -> None:
        """Change the selected post: the diameters of its tip and stem in mm, and its foot. From now on it is kept."""
        posts, one = self.posts, self.post
        if posts is not None and one is not None:
            changed = one.model_copy(update={**what, "own": True})
            self._put(tr("change a post"), posts, posts=tuple(changed if p.id == one.id else p for p in posts.posts))

    def drop(self) -> None:
        """Takes the selected post away."""
        posts, one = self.posts, self.post
        if posts is not None and one is not None:
            self.selected = None
            self._put(tr("remove a post"), posts, **without(posts, one))

    def _on_away(self, number: int, facet: int, place: Floats) -> None:
        def change(posts: PostSet) -> dict[str, Any]:
            gone = nearest(posts, place)
            return without(posts, gone) if gone is not None else {}

        self._on_clicked(number, change, tr("remove a post"))

    def _on_clicked(self, number: int, change: Callable[[PostSet], dict[str, Any]], did: str) -> None:
        desk = self._desk
        if number != desk.selected_piece:
            desk.select_piece(number)
        posts = self._now()
        what = change(posts)
        if what:
            self._put(did, posts, **what)

    def fly(self, number: int) -> None:
        """Fly to a post of the piece, given its place in the list."""
        report, desk = self.report, self._desk
        if report is not None and desk.piece is not None:
            down = -desk.piece.seat.rotation[2]
            self.flown_to.emit(desk.piece.number - 1, report.contact[number], 0.4 * down + 0.6 * np.array([0, -1.0, 0]))


def nearest(posts: PostSet | None, place: Floats) -> Post | None:
    """The post whose tip is nearest to a place, if it is near at all."""
    if posts is None or not posts.posts:
        return None
    apart = [float(np.linalg.norm(place - np.array(post.at))) for post in posts.posts]
    return posts.posts[int(np.argmin(apart))] if min(apart) <= _NEAR else None


def without(posts: PostSet, gone: Post) -> dict[str, Any]:
    """The fields of a set once a post is removed: none is proposed there again."""
    kept = tuple(post for post in posts.posts if post.id != gone.id)
    return {"posts": kept, "refused": (*posts.refused, gone.at)}
