"""The printer profiles that can be chosen: the shipped ones, and the user's own in a folder beside the settings."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ...core.printers.profile import PROFILES, Printer, read_printer, shipped_printers
from .shelf import Shelf, ShelfItem

OWN = Shelf("printers", PROFILES, read_printer, lambda printer, name: printer.changed(name=name))
_ORDER = ("small-filament", "middle-filament", "large-filament", "belt", "small-resin", "large-resin")


@dataclass(frozen=True)
class PrinterProfile:
    """Attributes
    ----------
    key : str
        The name of its file without the ending.
    own : bool
        The user's, and can be edited.
    """

    key: str
    printer: Printer
    own: bool


def profiles() -> list[PrinterProfile]:
    """The shipped profiles, then the user's own by name; files that cannot be read are left out."""
    found = [PrinterProfile(key, printer, False) for key, printer in shipped_printers().items()]
    found.sort(key=lambda profile: _ORDER.index(profile.key) if profile.key in _ORDER else len(_ORDER))
    return found + [PrinterProfile(kept.key, kept.item, True) for kept in OWN.all]


def keep(profile: PrinterProfile) -> None:
    """Writes one of the user's own profiles. Raises SaveFailed."""
    OWN.keep(ShelfItem(profile.key, profile.printer))


def add(printer: Printer) -> PrinterProfile:
    """Keeps a profile as a new one of the user's own, under a name that is free. Raises SaveFailed."""
    return _own(OWN.add(printer, *_taken()))


def take_in(path: Path) -> PrinterProfile:
    """Keeps a profile from a file as one of the user's own. Raises BadPlan, SaveFailed."""
    return _own(OWN.take_in(path, *_taken()))


def _taken() -> tuple[set[str], set[str]]:
    shipped = shipped_printers()
    return {printer.name for printer in shipped.values()}, set(shipped)


def _own(kept: ShelfItem[Printer]) -> PrinterProfile:
    return PrinterProfile(kept.key, kept.item, True)
