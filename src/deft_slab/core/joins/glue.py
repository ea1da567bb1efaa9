"""Nothing but glue."""

from __future__ import annotations

from typing import Literal

from ..locale.translate import tr
from .kind import Join, Made, Site


class GlueJoin(Join):
    """The contact is left as it is, on purpose."""

    kind: Literal["glue"] = "glue"

    word = tr("glue")
    holds = False

    def build(self, site: Site) -> Made:
        return Made({}, {})

    def sentence(self) -> str:
        return tr("glue only")
