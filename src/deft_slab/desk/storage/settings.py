"""The settings: recent files, mouse buttons, how angles are counted, the printer, the look, and more."""

from __future__ import annotations

import json
import logging
import os
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from ...core.document.migrations import NewerVersion, Versions
from ...core.errors import SaveFailed
from ...core.exporting.safe_writing import write_whole
from ...core.joins import STOCK, THICKEST, THINNEST
from ...core.locale.translate import tr
from ...core.printers.profile import Printer
from ...core.search.results import CutWishes
from ...core.search.weighing import Weights
from ...logbook import home
from .backups import keep_if_older
from .language import AS_THE_DESKTOP

_log = logging.getLogger(__name__)
SETTINGS = Versions("settings", 1)
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
    """What ways to part a piece are looked for by; None: the usual."""

    stock: tuple[Annotated[float, Field(gt=THINNEST, le=THICKEST)], ...] = Field(default=STOCK, max_length=40)
    """mm, diameters of the rods that one has, thinnest first: what dowel holes and pins are made for."""
    ledger_height: int = Field(default=234, ge=80, le=4000)
    """Pixels that the ledger may take where it has as many rows."""
    look: Literal["light", "dark", "as the desktop"] = "as the desktop"
    type_size: Literal[100, 125, 150, 175, 200] = 100
    """Percent of the usual; everything grows with it. It counts when the program is started."""
    language: str = AS_THE_DESKTOP
    """Code of the language of all texts, as "de"; it counts when the program is started, as the next two do."""
    units: Literal["mm", "in"] = "mm"
    """What lengths, areas and volumes are shown in."""
    numbers: Literal["as the desktop", "1,234.5", "1.234,5", "1 234,5"] = "as the desktop"
    """How numbers are written."""
    motion: bool = True
    """Whether the view flies to a place in a quarter of a second, or is there at once."""
    guide: bool = False
    """Whether a first job is led through."""
    keys: dict[str, str] = {}
    """Of actions that are not on their usual keys, by their ids; empty: on none."""
    equal_once: bool = True
    """Whether equal pieces are written as one file with a count."""
    with_posts: bool = True
    """Whether the support posts of pieces are written with them."""

    def with_recent(self, first: str) -> Settings:
        """The settings with a file as the most recent one.

        Parameters
        ----------
        first : str
            The full path of the file.
        """
        return self.model_copy(
            update={"recent": (first, *(other for other in self.recent if other != first))[:MOST_RECENT]}
        )


def _place() -> Path:
    return home() / "settings.json"


def read_settings() -> tuple[Settings, str]:
    """The stored settings, or the default ones if there are none or they cannot be read; and what was wrong, empty
    for nothing.
    """
    try:
        text = _place().read_bytes()
        settings = Settings.model_validate(SETTINGS.read(text))
        keep_if_older(_place(), text, SETTINGS)
        return settings, ""
    except FileNotFoundError:
        return Settings(), ""
    except (OSError, ValueError) as error:
        _log.warning("settings could not be read; starting with the usual ones", exc_info=True)
        newer = tr("they are from a newer version") if isinstance(error, NewerVersion) else tr("they are damaged")
        why = error.strerror if isinstance(error, OSError) else newer
        return Settings(), tr(
            "The settings in {place} could not be read ({why}). The default settings are used.", place=_place(), why=why
        )


def load_settings() -> Settings:
    """The stored settings, or the default ones if there are none or they cannot be read."""
    return read_settings()[0]


def keep_settings(settings: Settings) -> None:
    """Write the settings. A failure is logged and not shown, because none of the user's work is in them. An existing
    file that cannot be read is renamed, never replaced.
    """
    try:
        _place().parent.mkdir(parents=True, exist_ok=True)
        if read_settings()[1]:
            _place().rename(free_name(_place().with_name("settings-unreadable.json")))
        write_whole(_place(), json.dumps(settings.model_dump(mode="json"), indent=1).encode())
    except (OSError, SaveFailed):
        _log.warning("settings could not be kept", exc_info=True)


def free_name(path: Path) -> Path:
    """A path beside this one that does not exist yet: with a number if it is taken."""
    number, found = 2, path
    while os.path.lexists(found):
        found = path.with_name(f"{path.stem}-{number}{path.suffix}")
        number += 1
    return found
