"""Glue only, in the window."""

from __future__ import annotations

from ...core.joins import GlueJoin
from ...core.locale.translate import tr
from .kind import JoinOnDesk, Where


class GlueOnDesk(JoinOnDesk[GlueJoin]):
    kind = "glue"
    place = 9
    word = tr("Glue")
    adds = tr("Accepts the contact as it is. It is no longer listed as a contact without a join.")

    def new_join(self, where: Where) -> GlueJoin:
        return GlueJoin(**where.place)
