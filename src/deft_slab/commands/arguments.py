"""Reads the arguments of commands."""

from __future__ import annotations

import argparse
import os
from collections.abc import Sequence
from pathlib import Path

from ..core.arrays import Floats
from ..core.document.regular_files import read_regular
from ..core.errors import BadPlan
from ..core.geometry.place_on_bed import unit
from ..core.importing.fineness import COARSEST, FINEST
from ..core.importing.readers import Opened, open_file
from ..core.locale.translate import tr
from ..core.plan.plan import Plan
from ..core.printers.profile import Printer, default_printer, read_printer, shipped_printers
from ..core.repair.mend import advised
from .options import TOKEN


class BadArgument(BadPlan):
    """An argument is invalid in itself, whatever the model."""


def refuse_senseless(arguments: argparse.Namespace) -> None:
    """Check that numbers are in their ranges.

    Raises
    ------
    BadArgument
        A number is out of its range.
    """
    for name, low, high in (("scale", 1e-9, 1e6), ("theta", 0, 89), ("fineness", FINEST, COARSEST),
                            ("wall", 1e-6, 1e6), ("rewrap", 1e-6, 1e6), ("clearance", 0, 1e4), ("lift", 0, 100),
                            ("top", 1, 100), ("map", 0, 100_000), ("places", 2, 100_000), ("pieces", 2, 12),
                            ("seam_limit", 1e-6, 1e9), ("key", 1, 100), ("rod", 0.3, 100), ("fitted", 0, 5),
                            ("least", 0, 1e6), ("time", 0, 1e6), ("layer", 1e-3, 5), ("wall", 1e-6, 1e6),
                            ("hollow_fineness", 1e-3, 25), ("solid_below", 0, 1e5), ("vents", 0, 200),
                            ("copies", 1, 1000), ("propose", 2, 12), ("jobs", 1, 1000),
                            ("port", 0, 65535), ("speed", 1e-3, 1e6), ("loaded", 0, 1e6),
                            ("tip", 0.05, 5), ("stem", 0.1, 20), ("plate", 0, 20)):
        value = getattr(arguments, name, None)
        if value is not None and not low <= value <= high:
            raise BadArgument(
                tr(
                    "--{name} must be between {low:g} and {high:g}; got {value:g}.",
                    name=name.replace("_", "-"),
                    low=low,
                    high=high,
                    value=value,
                )
            )


def printer_of(name: str | None) -> Printer:
    """A printer profile: a shipped one by the name of its file, one from a JSON file, or the usual one for None."""
    if name is None:
        return default_printer()
    shipped = shipped_printers()
    if name in shipped:
        return shipped[name]
    try:
        return read_printer(read_regular(Path(name)))
    except (OSError, ValueError) as error:
        known = ", ".join(shipped)
        raise BadArgument(
            tr("There is no printer profile {name!r}. Profiles that come with the program: "
               "{known}.", name=name, known=known)
        ) from error


def direction_of(values: Sequence[float], name: str) -> Floats:
    """A direction (3,) as a unit vector.

    Parameters
    ----------
    name : str
        What the message calls it.

    Raises
    ------
    BadArgument
        It has no length.
    """
    try:
        return unit(list(values), name)
    except BadPlan as error:
        raise BadArgument(error.what, remedy=error.remedy) from error


def token_of(arguments: argparse.Namespace) -> str | None:
    """The access token from a file, the environment or the command line; None: none.

    Raises
    ------
    BadArgument
        Its file cannot be read.
    """
    if arguments.token_file is None:
        return arguments.token if arguments.token is not None else os.environ.get(TOKEN)
    try:
        return Path(arguments.token_file).read_text().strip()
    except (OSError, UnicodeDecodeError) as error:
        raise BadArgument(
            tr("The access token cannot be read from {file}.", file=arguments.token_file),
            remedy=tr("It must be a text file that contains only the token."),
        ) from error


def opened_file(arguments: argparse.Namespace) -> tuple[Opened, Plan]:
    """Open the file of the arguments, with a plan that has the size and repair that they state."""
    if not arguments.quiet:
        from .compiling import say_when_compiling  # loads numba, which commands without a model do not need

        say_when_compiling(arguments.shows)
    opened = open_file(arguments.file, arguments.job, fineness=arguments.fineness)
    arguments.complete = opened.model.complete
    plan = Plan(
        model=opened.model.ref, unit=arguments.unit or opened.model.unit or "mm", scale=arguments.scale,
        mirror=arguments.mirror,
    )
    if getattr(arguments, "mend", False):
        plan = plan.changed(mending=advised(opened.model.solid))
    try:
        return opened, plan.changed(stretch=tuple(arguments.stretch))
    except BadPlan as error:
        raise BadArgument(error.what, remedy=error.remedy) from error
