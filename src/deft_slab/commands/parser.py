"""The parser of all commands."""

from __future__ import annotations

import argparse
import textwrap
from collections.abc import Sequence
from typing import Any, NoReturn

from .. import about, opened_with
from ..core.formats import names
from ..core.locale.translate import tr
from . import options


class _Version(argparse.Action):
    """Prints the versions and exits."""

    def __init__(self, option_strings: Sequence[str], dest: str, **rest: Any) -> None:
        super().__init__(option_strings, dest, nargs=0, **rest)

    def __call__(self, parser: argparse.ArgumentParser, *_: object) -> NoReturn:
        print(about.sentence())
        parser.exit()


EXAMPLES: dict[str, tuple[str, ...]] = {
    "measure": ("measure prop.stl --unit in", "measure prop.stl --down 0 1 0 --wall 1.2 --json"),
    "check": ("check prop.stl --straight 0 0 1 40",),
    "hollow": ("hollow prop.stl --wall 2.5 --printer small-resin -o hollow",),
    "posts": ("posts prop.stl --printer small-resin -o posts",),
    "mend": ("mend scan.stl --drop-specks -o mended.stl",),
    "tilt": ("tilt prop.stl --top 3",),
    "cut": ("cut prop.stl --straight 0 0 1 40 -o pieces",),
    "join": ("join prop.stl --straight 0 0 1 40 --auto -o pieces",),
    "handoff": ("handoff prop.stl --recipe cuts.json --sheet -o beds",),
    "run": ("run prop-project.3mf -o beds",),
    "batch": ("batch models --propose 3 -o batch", "batch models -o batch -- --copies 2 --sheet"),
    "printer": ("printer --kind resin --speed 60",),
    "send": ("send bed-1.3mf --to http://127.0.0.1:8080 --token-file token.txt --wait",),
    "coupon": ("coupon --key 8 -o coupon.stl", "coupon --fitted 0.25 -o my-printer.json"),
    "sweep": ("sweep prop.stl --normal 1 0 0 --places 20",),
    "propose": ("propose prop.stl --pieces 3 --flat --top 5",),
}
"""Of each command: they are in its help and in the manual page, and are parsed by a test."""


def parser() -> argparse.ArgumentParser:
    """The parser of all commands. The manual page and the completions of shells are made from it."""
    parser = argparse.ArgumentParser(
        prog="deft-slab",
        description=tr("Tilt and cut props so that they print clean and the joins don't show."),
        usage="deft-slab [FILE | --demo] [--shot PNG]\n       deft-slab COMMAND [--help] ...",
        formatter_class=argparse.RawDescriptionHelpFormatter,
        epilog="\n\n".join([
            _filled(tr("Without a command, the window opens with FILE: {list}, or a project.", list=names())),
            _exit_codes(), _examples("prop.stl", *(lines[0] for lines in EXAMPLES.values())),
        ]),
    )
    opened_with.add_to(parser, file=False)
    parser.add_argument("--version", action=_Version, help=tr("print the versions of the program and of the "
                                                              "libraries that its figures depend on"))
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND", prog="deft-slab")

    figures = commands.add_parser("measure", help=tr("measure a model in one tilt"))
    options.common(figures)
    options.overhang(figures)
    options.down(figures)
    options.mending(figures)
    options.walls(figures)
    look = commands.add_parser("check", help=tr("check a plan layer by layer for islands, pockets, jumps, necks "
                                                "and thin walls"))
    options.common(look)
    options.overhang(look)
    options.layers(look)
    options.hollow(
        commands.add_parser("hollow", help=tr("hollow the pieces, with lattice, vents and plugs, and write them"))
    )
    options.posts(
        commands.add_parser("posts", help=tr("propose support posts for resin, and write the pieces with and "
                                             "without them"))
    )
    mend = commands.add_parser("mend", help=tr("close and clean the surface of a model, and write it"))
    options.common(mend)
    options.mended(mend)
    options.tilt(commands.add_parser("tilt", help=tr("propose seats, with the figures of each")))
    cut = commands.add_parser("cut", help=tr("cut a model and write the pieces"))
    options.common(cut)
    options.overhang(cut)
    options.recipe(cut)
    cut.add_argument("--equal-once", action="store_true", help=tr("write equal pieces as one file, with a count"))
    join = commands.add_parser("join", help=tr("cut a model, join the pieces and write them"))
    options.common(join)
    options.overhang(join)
    options.recipe(join)
    options.join(join)
    options.handoff(
        commands.add_parser("handoff", help=tr("lay the pieces on beds and write everything needed to print them"))
    )
    options.run(commands.add_parser("run", help=tr("lay the plan of a project on beds and write everything")))
    options.batch(commands.add_parser(
        "batch", help=tr("hand off all models of a folder, with one report"),
        epilog=tr("Options after -- are those of handoff, for all models: -- --copies 2 --sheet."),
    ))
    options.printer(
        commands.add_parser("printer", help=tr("run a stand-in printer on this machine, to try everything up to "
                                               "printing"))
    )
    options.send(commands.add_parser("send", help=tr("send a bed to a printer, and wait until it is printed")))
    options.coupon(commands.add_parser("coupon", help=tr("write a small test print that finds the clearance of a "
                                                         "printer")))
    options.sweep(commands.add_parser("sweep", help=tr("evaluate a straight cut at every place along its normal")))
    propose = commands.add_parser(
        "propose", help=tr("propose plans that no other beats on both support left and seam in sight")
    )
    options.common(propose)
    options.overhang(propose)
    options.ways(propose)
    options.mending(propose)
    for name, command in commands.choices.items():
        command.formatter_class = argparse.RawDescriptionHelpFormatter
        before = [_filled(command.epilog)] if command.epilog else []
        command.epilog = "\n\n".join([*before, _exit_codes(), _examples(*EXAMPLES[name])])
    return parser


def _filled(words: str) -> str:
    return textwrap.fill(words, 78)


def _exit_codes() -> str:
    """What the exit codes mean."""
    codes = (
        (0, tr("done")), (1, tr("failed; one line on stderr says why")),
        (2, tr("the arguments make no sense; nothing was started")),
        (3, tr("the file is incomplete; the part that exists was used")), (130, tr("stopped by Ctrl+C")),
        (141, tr("the reader of the output closed it")),
    )
    return "\n".join([tr("exit codes:"), *(f"  {code:>3}  {means}" for code, means in codes)])


def _examples(*lines: str) -> str:
    return "\n".join([tr("examples:"), *(f"  deft-slab {line}" for line in lines)])
