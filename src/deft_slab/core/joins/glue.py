"""Nothing but glue."""

from __future__ import annotations

from typing import Literal

from .kind import Join, Made, Site


class GlueJoin(Join):
    """The contact is left as it is, on purpose."""

    kind: Literal["glue"] = "glue"

    word = "glue"
    holds = False

    def made(self, site: Site) -> Made:
        return Made({}, {})

    def sentence(self) -> str:
        return "glue only"
