"""The Check step: what was found in this plan, worst first, and what helps; hollowing; posts."""

from __future__ import annotations

from ....core.locale.translate import term, tr
from ...desk_state import DeskState
from ...widgets.pages import Pages
from .found import CheckedPanel
from .hollow import HollowPanel
from .posts import PostsPanel

_TIPS = {
    term("Checked"): tr("What was found, worst first; each line flies there."),
    term("Posts"): tr("Support posts: proposed, added, taken away; what they hold and what they leave."),
    term("Hollow"): tr("Takes out the inside of a piece, with vents and plugs."),
}


class CheckPanel(Pages):
    def __init__(self, state: DeskState) -> None:
        self.checked, self.hollow, self.posts = CheckedPanel(state), HollowPanel(state), PostsPanel(state)
        super().__init__({"Checked": self.checked, "Hollow": self.hollow, "Posts": self.posts}, _TIPS)
