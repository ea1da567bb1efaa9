"""What is remembered between sessions: recent files, how the mouse turns, which way angles are counted, the printer."""

from __future__ import annotations

import json
import logging
import os
from pathlib import Path
from typing import Literal

from platformdirs import user_config_path
from pydantic import BaseModel, ConfigDict, ValidationError

from ..core.errors import SaveFailed
from ..core.handoff.saving import write_whole
from ..core.printer import Printer
from ..core.search.found import CutWishes
from ..core.search.weighing import Weights

_log = logging.getLogger(__name__)
MOST_RECENT = 8


class Settings(BaseModel):
    model_config = ConfigDict(frozen=True, extra="ignore")

    version: Literal[1] = 1
    recent: tuple[str, ...] = ()
    swap_drag: bool = False
    """Left drag pans and middle drag turns, instead of the other way round."""
    angle_from: Literal["wall", "bed"] = "wall"
    """How overhang angles are shown; inside, they always count from the vertical."""
    printer: Printer | None = None
    """What a new project is judged by; None: the one that is shipped for it."""
    weights: Weights | None = None
    """What matters in a seat; None: as is usual for the printer's kind."""
    cut_wishes: CutWishes | None = None
    """What a place for a cut is looked for by; None: the usual."""

    equal_once: bool = True
    """Whether equal pieces are written as one file with a count."""

    def with_recent(self, path: Path) -> Settings:
        first = str(path.resolve())
        return self.model_copy(
            update={"recent": (first, *(other for other in self.recent if other != first))[:MOST_RECENT]}
        )


def home() -> Path:
    """The folder of the user's settings, profiles and unsaved work."""
    folder = os.environ.get("DEFT_SLAB_HOME")
    return Path(folder) if folder else user_config_path("deft-slab")


def _place() -> Path:
    return home() / "settings.json"


def load_settings() -> Settings:
    """The kept settings; the usual ones where there are none or they cannot be read."""
    try:
        return Settings.model_validate_json(_place().read_text("utf-8"))
    except FileNotFoundError:
        return Settings()
    except (OSError, ValidationError, UnicodeDecodeError):
        _log.warning("settings could not be read; starting with the usual ones", exc_info=True)
        return Settings()


def keep_settings(settings: Settings) -> None:
    """Writes the settings; a failure is logged and not shown, for nothing of the user's work is in them."""
    try:
        _place().parent.mkdir(parents=True, exist_ok=True)
        write_whole(_place(), json.dumps(settings.model_dump(mode="json"), indent=1).encode())
    except (OSError, SaveFailed):
        _log.warning("settings could not be kept", exc_info=True)
