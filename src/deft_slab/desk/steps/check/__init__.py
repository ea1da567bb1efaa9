"""The Check step: what was found in this plan, worst first, and what helps; hollowing; posts."""

from __future__ import annotations

from ....core.locale.translate import term, tr
from ...desk_state import DeskState
from ...widgets.pages import Pages
from .found import CheckedPanel
from .hollow import HollowPanel
from .posts import PostsPanel

_TIPS = {
    term("Checked"): tr("What was found, worst first. Click a line to see its place."),
    term("Posts"): tr("Support posts: propose, add and remove them; see what they hold and what marks they leave."),
    term("Hollow"): tr("Hollows a piece, with vents and plugs."),
}


class CheckPanel(Pages):
    def __init__(self, state: DeskState) -> None:
        self.checked, self.hollow, self.posts = CheckedPanel(state), HollowPanel(state), PostsPanel(state)
        super().__init__({"Checked": self.checked, "Hollow": self.hollow, "Posts": self.posts}, _TIPS)
