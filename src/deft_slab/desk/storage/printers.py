"""The printer profiles to choose from: the shipped ones, and the user's own in a folder beside the settings."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ...core.printers.profile import PROFILES, Printer, read_printer, shipped_printers
from .shelf import Shelf, ShelfItem

OWN = Shelf("printers", PROFILES, read_printer, lambda printer, name: printer.changed(name=name))
_ORDER = ("small-filament", "middle-filament", "large-filament", "belt", "small-resin", "large-resin")


@dataclass(frozen=True)
class PrinterProfile:
    """A printer profile to choose from.

    Attributes
    ----------
    key : str
        The name of its file without the ending.
    own : bool
        Whether it is the user's own and can be edited.
    """

    key: str
    printer: Printer
    own: bool


def profiles() -> list[PrinterProfile]:
    """The shipped profiles, followed by the user's own, sorted by name. Files that cannot be read are left out."""
    found = [PrinterProfile(key, printer, False) for key, printer in shipped_printers().items()]
    found.sort(key=lambda profile: _ORDER.index(profile.key) if profile.key in _ORDER else len(_ORDER))
    return found + [PrinterProfile(kept.key, kept.item, True) for kept in OWN.all]


def keep(profile: PrinterProfile) -> None:
    """Write one of the user's own profiles.

    Raises
    ------
    SaveFailed
        It cannot be written.
    """
    OWN.keep(ShelfItem(profile.key, profile.printer))


def add(printer: Printer) -> PrinterProfile:
    """Add a profile to the user's own, under a free name.

    Raises
    ------
    SaveFailed
        It cannot be written.
    """
    return _own(OWN.add(printer, *_taken()))


def take_in(path: Path) -> PrinterProfile:
    """Import a profile from a file.

    Raises
    ------
    BadPlan
        The file is not a profile.
    SaveFailed
        It cannot be written.
    """
    return _own(OWN.take_in(path, *_taken()))


def _taken() -> tuple[set[str], set[str]]:
    shipped = shipped_printers()
    return {printer.name for printer in shipped.values()}, set(shipped)


def _own(kept: ShelfItem[Printer]) -> PrinterProfile:
    return PrinterProfile(kept.key, kept.item, True)
