"""The parser of all commands."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from typing import Any, NoReturn

from .. import about
from ..core.search.found import SWEEP_PLACES
from ..core.words import tr
from . import options


class _Version(argparse.Action):
    """Prints the versions, and ends."""

    def __init__(self, option_strings: Sequence[str], dest: str, **rest: Any) -> None:
        super().__init__(option_strings, dest, nargs=0, **rest)

    def __call__(self, parser: argparse.ArgumentParser, *_: object) -> NoReturn:
        print(about.sentence())
        parser.exit()


def parser() -> argparse.ArgumentParser:
    """Of all commands; the manual page and the completions of shells are made from it."""
    parser = argparse.ArgumentParser(
        prog="deft-slab",
        description=tr("Tilt and cut props so that they print clean and the joins don't show."),
        epilog=tr(
            "Without a command the window opens: deft-slab [FILE]; with --demo it opens the demo project. Exit "
            "codes: 0 done, 1 it could not be done (one line on stderr says why), 2 the arguments make no sense, 3 the "
            "file ended in the middle and was worked on as far as it goes, 130 stopped by Ctrl+C, 141 whoever read had "
            "enough."
        ),
    )
    parser.add_argument("--version", action=_Version, help=tr("which program this is, and what its figures depend on"))
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")

    figures = commands.add_parser("measure", help=tr("figures of a model in one tilt"))
    options.common(figures)
    options.overhang(figures)
    options.down(figures)
    options.mending(figures)
    options.walls(figures)
    look = commands.add_parser("check", help=tr("islands, pockets, jumps, necks and thin walls, layer by layer"))
    options.common(look)
    options.overhang(look)
    options.layers(look)
    options.hollow(
        commands.add_parser("hollow", help=tr("hollow the pieces, with lattice, vents and plugs, and write them"))
    )
    options.posts(
        commands.add_parser("posts", help=tr("support posts for resin; writes the pieces with and without them"))
    )
    mend = commands.add_parser("mend", help=tr("close and clean the surface of a model, and write it"))
    options.common(mend)
    options.mended(mend)
    options.tilt(commands.add_parser("tilt", help=tr("seats worth trying, with the figures of each")))
    cut = commands.add_parser("cut", help=tr("part a model and write the pieces"))
    options.common(cut)
    options.overhang(cut)
    options.recipe(cut)
    cut.add_argument("--equal-once", action="store_true", help=tr("write equal pieces as one file, with a count"))
    join = commands.add_parser("join", help=tr("part a model, join the pieces and write them"))
    options.common(join)
    options.overhang(join)
    options.recipe(join)
    options.join(join)
    options.handoff(
        commands.add_parser("handoff", help=tr("lay the pieces on beds and write them, with all that it takes"))
    )
    options.run(commands.add_parser("run", help=tr("the whole job of a project: its plan laid on beds and written")))
    options.batch(commands.add_parser(
        "batch", help=tr("hand off all models of a folder, with one report"),
        epilog=tr("What comes after -- are options of handoff, for all of them: -- --copies 2 --sheet."),
    ))  # fmt: skip
    options.printer(
        commands.add_parser("printer", help=tr("a stand-in printer on this machine, to try the whole way with"))
    )
    options.send(commands.add_parser("send", help=tr("send a bed to a printer, and wait until it is printed")))
    options.coupon(commands.add_parser("coupon", help=tr("a small test print that finds the clearance of a printer")))
    sweep_ = commands.add_parser("sweep", help=tr("figures of a straight cut at every place along its normal"))
    options.common(sweep_)
    options.overhang(sweep_)
    sweep_.add_argument("--normal", type=options.number, nargs=3, required=True, metavar=("X", "Y", "Z"),
                        help=tr("which way the cut faces, in the model frame; any length"))  # fmt: skip
    sweep_.add_argument("--places", type=int, default=SWEEP_PLACES, metavar="N",
                        help=tr("so many places ({count})", count=SWEEP_PLACES))  # fmt: skip
    options.mending(sweep_)
    propose = commands.add_parser(
        "propose", help=tr("ways to part it that are not beaten in support left and seam seen")
    )
    options.common(propose)
    options.overhang(propose)
    options.ways(propose)
    options.mending(propose)
    return parser
