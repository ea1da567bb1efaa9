"""The printer profiles that can be chosen: the shipped ones, and the user's own in a folder beside the settings."""

from __future__ import annotations

import logging
import re
from dataclasses import dataclass
from pathlib import Path

from ..core.errors import BadPlan, SaveFailed
from ..core.handoff.saving import write_whole
from ..core.printer import PROFILES, Printer, read_printer, shipped_printers
from ..logbook import home
from .older import keep_if_older

_log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Profile:
    """key : the name of its file without the ending; own : the user's, and can be edited"""

    key: str
    printer: Printer
    own: bool


def _folder() -> Path:
    return home() / "printers"


def unreadable() -> list[Path]:
    """Files among the user's own profiles that cannot be read; they stay as they are."""
    return [path for path in sorted(_folder().glob("*.json")) if _read(path) is None]


def _read(path: Path) -> Printer | None:
    try:
        text = path.read_bytes()
        keep_if_older(path, text, PROFILES)
        return read_printer(text)
    except (OSError, BadPlan):
        _log.warning("printer profile %s could not be read", path, exc_info=True)
        return None


def profiles() -> list[Profile]:
    """The shipped profiles, then the user's own by name; files that cannot be read are left out: see ``unreadable``."""
    found = [Profile(key, printer, False) for key, printer in shipped_printers().items()]
    read = [(path.stem, _read(path)) for path in sorted(_folder().glob("*.json"))]
    own = [Profile(key, printer, True) for key, printer in read if printer is not None]
    order = ("small-filament", "middle-filament", "large-filament", "belt", "small-resin", "large-resin")
    found.sort(key=lambda profile: order.index(profile.key) if profile.key in order else len(order))
    return found + sorted(own, key=lambda profile: profile.printer.name.lower())


def keep(profile: Profile) -> None:
    """Writes one of the user's own profiles. Raises SaveFailed."""
    try:
        _folder().mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise SaveFailed(f"The folder {_folder()} cannot be made: {error.strerror or error}.") from error
    export(profile.printer, _folder() / f"{profile.key}.json")


def export(printer: Printer, path: Path) -> None:
    """Writes a profile to any place. Raises SaveFailed."""
    write_whole(path, (printer.model_dump_json(indent=2) + "\n").encode())


def add(printer: Printer) -> Profile:
    """Keeps a profile as a new one of the user's own, under a name that is free. Raises SaveFailed."""
    names = {profile.printer.name for profile in profiles()}
    name, number = printer.name, 2
    while name in names:
        name, number = f"{printer.name[:54]} {number}", number + 1
    slug = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "printer"
    keys = {profile.key for profile in profiles()} | {path.stem for path in _folder().glob("*.json")}
    key, number = slug, 2
    while key in keys:  # also those of files that cannot be read
        key, number = f"{slug}-{number}", number + 1
    profile = Profile(key, printer.changed(name=name), True)
    keep(profile)
    return profile


def take_in(path: Path) -> Profile:
    """Keeps a profile from a file as one of the user's own.

    Raises
    ------
    BadPlan : the file is no profile.
    SaveFailed : it cannot be kept.
    """
    try:
        text = path.read_bytes()
    except OSError as error:
        raise BadPlan(f"“{path.name}” cannot be read: {error.strerror or error}.") from error
    return add(read_printer(text))


def remove(profile: Profile) -> None:
    """Removes one of the user's own profiles."""
    (_folder() / f"{profile.key}.json").unlink(missing_ok=True)
