"""The arguments with which a window opens, for the window itself and for the help of the commands."""

from __future__ import annotations

import argparse
from pathlib import Path

from .core.locale.translate import tr


def add_to(parser: argparse.ArgumentParser, *, file: bool = True) -> None:
    """Add the arguments of the window to a parser.

    Parameters
    ----------
    file : bool
        Whether to add the file to open, which a parser with commands cannot have beside them.
    """
    if file:
        parser.add_argument("file", nargs="?", type=Path, metavar="FILE", help=tr("a model or a project to open"))
    parser.add_argument("--demo", action="store_true", help=tr("open the demo project"))
    parser.add_argument("--shot", type=Path, metavar="PNG", help=tr("save a picture of the window and end"))
