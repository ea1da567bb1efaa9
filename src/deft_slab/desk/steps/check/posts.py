"""The page on posts: proposed for everything unsupported, edited one by one, with the marks that they leave."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from ....core.joins.reports import PostsReport
from ....core.locale import text
from ....core.locale.translate import term, tr
from ....core.plan.supports import SLENDER_DIAMETERS
from ...desk_state import DeskState
from ...refresh.binding import follow
from ...state.pointing import FOOT
from ...state.supports import ADD, AROUND, AWAY, AWAY_AROUND, PICK
from ...widgets.basics import ClickRow, Panel, button, emptied, label, row, say
from ...widgets.number import NumberField

_MOST = 12
"""Posts that something is to be said of, at most, in the list."""
_field = partial(NumberField.named, "mm", step=0.1, decimals=2)


class PostsPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._posting = state, state.posting
        self._shown: object = None
        self._about = self.head(tr("Posts"))
        self._said = label("", "faint", wrap=True)
        self.add(self._said)
        self.tip = _field(tr("Tip"), tr("The diameter where a post touches the piece. 0.3 mm is "
                                        "usual."), low=0.05, high=5)
        self.tip.committed.connect(lambda value: self._posting.measure(tip=value))
        self.stem = _field(tr("Stem"), tr("The diameter of the stem."), low=0.1, high=20)
        self.stem.committed.connect(lambda value: self._posting.measure(stem=value))
        self.add(row(label(tr("tip"), "faint"), self.tip, label(tr("stem"), "faint"), self.stem, 1))
        self._add_buttons()
        self._this = label("", "title", wrap=True)
        self.this_tip = _field(tr("Tip of this post"), tr("The diameter where this post touches the "
                                                          "piece."), low=0.05, high=5)
        self.this_tip.committed.connect(lambda value: self._posting.alter(tip=value))
        self.this_stem = _field(tr("Stem of this post"), tr("The diameter of its stem."), low=0.1, high=20)
        self.this_stem.committed.connect(lambda value: self._posting.alter(stem=value))
        self.foot = self._pointed(
            FOOT, tr("Move the foot …"),
            tr(
                "Click where this post should stand: on the bed, or on the piece where the surface faces up. The "
                "post leans to reach that place, by at most 45°."
            ),
        )
        self.own_way = button(tr("Route it again"), tr("Lets the program route this post again."),
                              lambda: self._posting.alter(foot=None), role="small")
        drop = button(tr("Remove"), tr("Removes this post. No post will be proposed there again."), self._posting.drop,
                      role="small")
        self._own = QWidget()
        column = QVBoxLayout(self._own)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self._this)
        column.addLayout(row(label(tr("tip"), "faint"), self.this_tip, label(tr("stem"), "faint"), self.this_stem, 1))
        column.addLayout(row(self.foot, self.own_way, drop, 1))
        self.add(self._own)
        self.figures = self.add_figures(
            (term("Posts"), tr("The number of posts, and how many of them lean to avoid the piece.")),
            (term("On the piece"), tr("Posts that stand on the piece itself and leave a mark at both ends.")),
            (
                term("Slender"),
                tr(
                    "Posts longer than {slender_diameters:g} stem diameters. Braces hold them.",
                    slender_diameters=SLENDER_DIAMETERS,
                ),
            ),
            (term("Touched"), tr("The area that all tips touch, and so the scar that they leave.")),
            (term("On show faces"), tr("The part of that area on show faces.")),
            (term("Plastic"), tr("The volume of all posts and braces.")),
        )
        self._head = self.head(tr("Look here"))
        self.list = self.add_list()
        self.list.setSpacing(2)
        self.column.addStretch(1)
        follow(self, self.refresh, self._posting.changed, state.outcome_changed, state.opened,
               state.pointing.changed)

    def _pointed(self, kind: str, words: str, does: str) -> QPushButton:
        """A button that stays pressed while the user points at something."""
        return button(words, does, partial(self._posting.point, kind), role="small", checkable=True)

    def _add_buttons(self) -> None:
        """Add the buttons that act on all posts of the piece, or on those in a region."""
        self.propose = button(
            tr("Propose posts"),
            tr(
                "Puts a tip where each island begins and wherever the surface is past the threshold. Posts that "
                "were placed by hand stay."
            ),
            self._posting.propose,
            role="main",
        )
        self.clear = button(
            tr("Remove all"), tr("Removes all posts of this piece."), self._posting.clear, role="small"
        )
        self.add(row(self.propose, self.clear, 1))
        self.adds = self._pointed(ADD, tr("Add posts …"), tr("Click the places on the surface that posts should touch. "
                                                       "Press Esc when you are done."))
        self.takes = self._pointed(
            AWAY, tr("Remove posts …"), tr("Click near the tip of a post to remove it. No post will be proposed there "
                                        "again.")
        )
        self.picks = self._pointed(
            PICK, tr("Select a post …"), tr("Click near the tip of a post to change its size or move its foot.")
        )
        self.add(row(self.adds, self.takes, self.picks, 1))
        self.around = self._pointed(
            AROUND, tr("Propose around …"),
            tr("Click the middle of a region. Everything unsupported within its radius gets posts; other posts "
               "stay."),
        )
        self.away = self._pointed(
            AWAY_AROUND, tr("Clear around …"),
            tr("Click the middle of a region. All posts within its radius are removed."),
        )
        self.reach = _field(tr("Reach"), tr("The radius of a region around a click."), low=1, high=1000)
        self.reach.committed.connect(self._posting.set_reach)
        self.reach.setMaximumWidth(84)
        self.add(row(self.around, self.away, self.reach, 1))

    def refresh(self) -> None:
        state, posting = self._state, self._posting
        piece, posts, report = state.piece, posting.posts, posting.report
        if piece is None:
            return
        several = len(state.pieces) > 1
        self._about.setText(tr("Posts: {name}", name=piece.name) if several else tr("Posts"))
        measures = posting.measures if posts is None else {"tip": posts.tip, "stem": posts.stem}
        self.tip.set_value(measures["tip"])
        self.stem.set_value(measures["stem"])
        self.propose.setEnabled(not piece.extra and piece.figures.closed)
        self.clear.setVisible(posts is not None)
        self.adds.setChecked(state.pointing.kind == ADD)
        self.takes.setChecked(state.pointing.kind == AWAY)
        self.picks.setChecked(state.pointing.kind == PICK)
        self.around.setChecked(state.pointing.kind == AROUND)
        self.away.setChecked(state.pointing.kind == AWAY_AROUND)
        self.reach.set_value(posting.reach)
        self._show_this(report)
        if posts is None:
            words = tr("No posts yet. In resin printing they hold what begins in the air.")
            if piece.lift == 0:
                words += tr(" This piece stands directly on the bed. Tilt can lift it above the bed.")
            say(self._said, words, "faint")
        elif report is None or not state.up_to_date:
            say(self._said, tr("Placing the posts …"), "faint")
        else:
            lost = len(posting.unheld)
            words = (
                tr("No post can reach {lost} islands.", lost=lost)
                if lost
                else tr("Your edits stay when posts are proposed again.")
            )
            say(self._said, words, "look" if lost else "faint")
        self._show(report)

    def _show_this(self, report: PostsReport | None) -> None:
        """Show the selected post."""
        posts, one = self._posting.posts, self._posting.post
        self._own.setVisible(one is not None)
        if one is None or posts is None:
            return
        where = ""
        if report is not None and one.id in report.ids:
            n = report.ids.index(one.id)
            lands = {"bed": tr("on the bed"), "piece": tr("on the piece")}.get(report.lands[n], tr("cannot stand"))
            where = tr(" · {lands}, {length} long", lands=lands, length=text.mm(float(report.lengths[n]))) + (
                tr(", leans") if report.leans[n] else ""
            )
            where += tr(" · holds {area}", area=text.area(float(report.holds[n])))
        self._this.setText(tr("Post {id}{where}", id=one.id[1:], where=where))
        self.this_tip.set_value(posts.tip if one.tip is None else one.tip)
        self.this_stem.set_value(posts.stem if one.stem is None else one.stem)
        self.foot.setChecked(self._state.pointing.kind == FOOT)
        self.own_way.setVisible(one.foot is not None)

    def _show(self, report: PostsReport | None) -> None:
        posts = self._posting.posts
        if report is self._shown and report is not None:
            return
        self._shown = report
        emptied(self.list)
        for figure in self.figures.values():
            figure.setText("–")
        made = report is not None and posts is not None
        troubles = self._troubles(report) if report is not None and made else []
        self._head.setVisible(bool(troubles))
        if report is None or posts is None:
            return
        stand, leaning = int(report.made.sum()), int((report.leans & report.made).sum())
        slender = int(((report.lengths > SLENDER_DIAMETERS * posts.stem) & report.made).sum())
        self.figures["Posts"].setText(tr("{stand}, {leaning} lean", stand=stand, leaning=leaning))
        self.figures["On the piece"].setText(str(sum(land == "piece" for land in report.lands)))
        self.figures["Slender"].setText(tr("{slender}, {braces} braces", slender=slender, braces=report.braces))
        self.figures["Touched"].setText(text.area(report.area))
        self.figures["On show faces"].setText(text.small_area(report.on_show) if report.on_show else text.area(0.0))
        self.figures["Plastic"].setText(text.volume(report.volume))
        for number, words in troubles[:_MOST]:
            one = ClickRow("row")
            one.setLayout(row(label("!", "look"), label(words, "", wrap=True), 1))
            one.setAccessibleName(words)
            one.setToolTip(tr("Shows the place."))
            one.clicked.connect(partial(self._posting.fly, number))
            self.list.addWidget(one)
        if len(troubles) > _MOST:
            self.list.addWidget(label(tr("{count} more", count=len(troubles) - _MOST), "faint"))

    def _troubles(self, report: PostsReport) -> list[tuple[int, str]]:
        """The number of each post with a problem and the words for it, worst first."""
        posts = self._posting.posts
        assert posts is not None
        found = [(n, tr("its surface was cut away")) for n, land in enumerate(report.lands) if land == "off"]
        found += [
            (n, tr("no route to the bed or onto the piece")) for n, land in enumerate(report.lands) if land == "nowhere"
        ]
        wished = {post.id for post in posts.posts if post.foot is not None}
        found += [
            (n, tr("cannot stand where its foot was put, and was routed elsewhere"))
            for n, ident in enumerate(report.ids) if ident in wished and report.made[n] and not report.as_asked[n]
        ]
        risk = np.flatnonzero((report.walls < 2 * posts.tip) & report.made)
        found += [
            (int(n), tr("the piece is only {walls} thick there and may break", walls=text.length(report.walls[n], 2)))
            for n in risk
        ]
        found += [(int(n), tr("touches a show face")) for n in np.flatnonzero(report.show & report.made)]
        return [(n, tr("Post {id}: {words}", id=report.ids[n][1:], words=words)) for n, words in found]
