"""What the program may be called with where a window opens, for the window and for the help of the commands."""

from __future__ import annotations

import argparse
from pathlib import Path

from .core.locale.translate import tr


def add_to(parser: argparse.ArgumentParser, *, file: bool = True) -> None:
    """The arguments of the window.

    Parameters
    ----------
    file : bool
        With that of what is opened, which no parser of commands can have beside them.
    """
    if file:
        parser.add_argument("file", nargs="?", type=Path, metavar="FILE", help=tr("a model or a project to open"))
    parser.add_argument("--demo", action="store_true", help=tr("open the demo project"))
    parser.add_argument("--shot", type=Path, metavar="PNG", help=tr("save a picture of the window and end"))
