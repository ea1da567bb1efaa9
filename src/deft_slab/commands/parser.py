"""The parser of all commands."""

from __future__ import annotations

import argparse
import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NoReturn, get_args

from .. import about
from ..core.handoff.naming import FIELDS, PATTERN
from ..core.handoff.papers import PAPERS
from ..core.handoff.wished import FORMATS
from ..core.hollow import MOST_VENTS
from ..core.intake.fineness import FINENESS
from ..core.joins import STOCK, THICKEST, THINNEST
from ..core.lying import BedsBy
from ..core.plan import UNITS
from ..core.script import SCALINGS
from ..core.search.found import SWEEP_PLACES
from ..core.wearer.measures import FORMS

SCALED = {one.replace(" ", "-"): one for one in SCALINGS if one != "as it is"}
"""How a recipe is taken over, by the word for it: shells part words at blanks."""


def _number(word: str) -> float:
    """A number for the argument parser; "nan" and "inf" are none."""
    value = float(word)
    if not math.isfinite(value):
        raise ValueError(word)
    return value


_number.__name__ = "number"  # what the parser calls it in its message


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
        description="Tilt and cut props so that they print clean and the joins don't show.",
        epilog="Without a command the window opens: deft-slab [FILE]; with --demo it opens the demo project. Exit "
        "codes: 0 done, 1 it could not be done (one line on stderr says why), 2 the arguments make no sense, 3 the "
        "file ended in the middle and was worked on as far as it goes, 130 stopped by Ctrl+C, 141 whoever read had "
        "enough.",
    )
    parser.add_argument("--version", action=_Version, help="which program this is, and what its figures depend on")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")

    figures = commands.add_parser("measure", help="figures of a model in one tilt")
    _common(figures)
    _overhang(figures)
    _down(figures)
    _mending(figures)
    figures.add_argument("--wall", type=_number, metavar="MM",
                         help="also the thinnest wall, and the area where the wall is thinner than this")  # fmt: skip
    figures.add_argument("--wearer", nargs=2, metavar=("FORM", "MM"),
                         help=f"room around a form ({', '.join(FORMS)}) of this measure, put inside")  # fmt: skip
    figures.add_argument("--clearance", type=_number, default=5.0, metavar="MM",
                         help="air wished around the wearer's form (5)")  # fmt: skip
    look = commands.add_parser("check", help="islands, pockets, jumps, necks and thin walls, layer by layer")
    _common(look)
    _overhang(look)
    _layers(look)
    _hollow(commands.add_parser("hollow", help="hollow the pieces, with lattice, vents and plugs, and write them"))
    _posts(commands.add_parser("posts", help="support posts for resin; writes the pieces with and without them"))
    mend = commands.add_parser("mend", help="close and clean the surface of a model, and write it")
    _common(mend)
    mend.add_argument("--out", type=Path, required=True, metavar="FILE", help="STL, 3MF, PLY, OBJ or OFF, in mm")
    mend.add_argument("--replace", action="store_true", help="replace a file of that name")
    mend.add_argument("--rewrap", type=_number, metavar="MM", help="make the surface anew at this fineness")
    mend.add_argument("--thin", type=int, metavar="N", help="thin it to about N triangles")
    mend.add_argument("--drop-specks", action="store_true", help="leave stray specks out")
    _tilt(commands.add_parser("tilt", help="seats worth trying, with the figures of each"))
    cut = commands.add_parser("cut", help="part a model and write the pieces")
    _common(cut)
    _overhang(cut)
    _recipe(cut)
    cut.add_argument("--equal-once", action="store_true", help="write equal pieces as one file, with a count")
    join = commands.add_parser("join", help="part a model, join the pieces and write them")
    _common(join)
    _overhang(join)
    _recipe(join)
    join.add_argument("--auto", action="store_true", help="propose joins for the contacts that have none")
    join.add_argument("--rods", type=_rod, nargs="+", default=STOCK, metavar="MM",
                      help="diameters of the rods that you have, for dowel holes")  # fmt: skip
    join.add_argument("--letters", action="store_true",
                      help="sink the number of its piece and a letter into both faces of each contact")  # fmt: skip
    join.add_argument("--assembled", action="store_true",
                      help="write the pieces where they belong on the prop instead of in their seats")  # fmt: skip
    _handoff(commands.add_parser("handoff", help="lay the pieces on beds and write them, with all that it takes"))
    _run(commands.add_parser("run", help="the whole job of a project: its plan laid on beds and written"))
    _batch(commands.add_parser(
        "batch", help="hand off all models of a folder, with one report",
        epilog="What comes after -- are options of handoff, for all of them: -- --copies 2 --sheet.",
    ))  # fmt: skip
    _printer(commands.add_parser("printer", help="a stand-in printer on this machine, to try the whole way with"))
    _send(commands.add_parser("send", help="send a bed to a printer, and wait until it is printed"))
    _coupon(commands.add_parser("coupon", help="a small test print that finds the clearance of a printer"))
    sweep_ = commands.add_parser("sweep", help="figures of a straight cut at every place along its normal")
    _common(sweep_)
    _overhang(sweep_)
    sweep_.add_argument("--normal", type=_number, nargs=3, required=True, metavar=("X", "Y", "Z"),
                        help="which way the cut faces, in the model frame; any length")  # fmt: skip
    sweep_.add_argument("--places", type=int, default=SWEEP_PLACES, metavar="N",
                        help=f"so many places ({SWEEP_PLACES})")  # fmt: skip
    _mending(sweep_)
    propose = commands.add_parser("propose", help="ways to part it that are not beaten in support left and seam seen")
    _common(propose)
    _overhang(propose)
    _ways(propose)
    _mending(propose)
    return parser


def _mending(command: argparse.ArgumentParser) -> None:
    command.add_argument("--mend", action="store_true", help="mend it in memory first, as far as it needs")


def _common(command: argparse.ArgumentParser) -> None:
    """What is worked on, and at what size."""
    command.add_argument("file", type=Path, metavar="FILE")
    command.add_argument("--unit", choices=list(UNITS),
                         help="what one unit of the file is (default: as stated in it, else mm)")  # fmt: skip
    command.add_argument("--scale", type=_number, default=1.0, metavar="S", help="factor on top of the unit")
    command.add_argument("--stretch", type=_number, nargs=3, default=(1.0, 1.0, 1.0), metavar=("X", "Y", "Z"),
                         help="further factors along the axes of the file")  # fmt: skip
    command.add_argument("--mirror", choices=("x", "y", "z"), help="mirror along an axis of the file")
    command.add_argument("--fineness", type=_number, default=FINENESS, metavar="MM",
                         help=f"how exactly the faces of a STEP file are drawn ({FINENESS:g} mm)")  # fmt: skip
    command.add_argument("--json", action="store_true", help="print JSON")


def _overhang(command: argparse.ArgumentParser) -> None:
    """What it is judged by."""
    command.add_argument("--theta", type=_number, default=45.0, metavar="DEG",
                         help="overhang angle past which support is needed, from the vertical (45)")  # fmt: skip
    command.add_argument("--printer", metavar="NAME", help="a shipped printer profile, or a profile's JSON file")


def _down(command: argparse.ArgumentParser) -> None:
    """How the whole stands."""
    command.add_argument("--down", type=_number, nargs=3, default=(0.0, 0.0, -1.0), metavar=("X", "Y", "Z"),
                         help="direction of the model frame that points to the bed; any length")  # fmt: skip


def _hollow(command: argparse.ArgumentParser) -> None:
    """What is hollowed, and how."""
    _common(command)
    _overhang(command)
    _stands(command)
    command.add_argument("--wall", type=_number, required=True, metavar="MM", help="wall that stays")
    command.add_argument("--hollow-fineness", type=_number, metavar="MM",
                         help="to within which (a quarter of the wall)")  # fmt: skip
    command.add_argument("--solid-below", type=_number, default=0.0, metavar="MM",
                         help="stays solid up to this height over the bed (0)")  # fmt: skip
    command.add_argument(
        "--lattice", type=_number, nargs=2, metavar=("SPACING", "RADIUS"), help="rods through the void"
    )
    command.add_argument("--vents", type=int, default=MOST_VENTS, metavar="N",
                         help=f"at most so many for each piece ({MOST_VENTS})")  # fmt: skip
    command.add_argument("--plugs", action="store_true", help="with a plug for each vent, as a piece of its own")
    _recipe(command)


def _posts(command: argparse.ArgumentParser) -> None:
    """What gets posts, and how thick they are."""
    _common(command)
    _overhang(command)
    _stands(command, lift=5.0)
    command.add_argument("--layer", type=_number, metavar="MM", help="layer height (the usual one of the printer)")
    command.add_argument("--tip", type=_number, default=0.3, metavar="MM", help="across, where a post touches (0.3)")
    command.add_argument("--stem", type=_number, default=0.8, metavar="MM", help="across, of the stem (0.8)")
    command.add_argument("--plate", type=_number, default=0.0, metavar="MM", help="a plate so thick under all feet (0)")
    _recipe(command)


def _handoff(command: argparse.ArgumentParser) -> None:
    """What is laid on beds, and what is written."""
    _common(command)
    _overhang(command)
    _stands(command)
    command.add_argument("--copies", type=int, default=1, metavar="N", help="copies of the whole prop (1)")
    command.add_argument("--beds-by", choices=get_args(BedsBy), default="fewest", metavar="WAY",
                         help="fewest beds; one piece to a bed (piece); the longest bed first (hours); those of one "
                              "material after each other (colour)")  # fmt: skip
    command.add_argument("--second", metavar="NAME", help="a second printer at once, as --printer; pieces are shared "
                         "out so that all is done soonest")  # fmt: skip
    command.add_argument("--coupon", action="store_true",
                         help="also a coupon, once, for the first key or dowel of the recipe")  # fmt: skip
    command.add_argument("--material", nargs=2, action="append", default=[], metavar=("N", "NAME"),
                         help="piece N is of this material of its printer's profile; may be repeated")  # fmt: skip
    _files(command)
    _recipe(command)


def _run(command: argparse.ArgumentParser) -> None:
    """Which project, and what is written of it."""
    command.add_argument("file", type=Path, metavar="PROJECT")
    command.add_argument("--choice", metavar="NAME", help="a choice that it keeps, instead of what is on its bed")
    command.add_argument("--printer", metavar="NAME", help="a shipped profile, or a profile's JSON file, for its own")
    _files(command)
    _out(command)
    command.add_argument("--json", action="store_true", help="print JSON")


def _batch(command: argparse.ArgumentParser) -> None:
    """Which models, and what is done with each."""
    command.add_argument("folder", type=Path, metavar="FOLDER")
    ways = command.add_mutually_exclusive_group()
    ways.add_argument("--recipe", type=Path, metavar="FILE", help="part all of them by this recipe")
    _scaled(command)
    ways.add_argument("--propose", type=int, metavar="N",
                      help="part each into at most N pieces, by the way that leaves the least support")  # fmt: skip
    command.add_argument("--printer", metavar="NAME", help="a shipped printer profile, or a profile's JSON file")
    command.add_argument("--jobs", type=int, metavar="N", help="so many at once (as many as there are cores)")
    command.add_argument("--again", action="store_true", help="also those that are done already")
    command.add_argument("--part", metavar="I/N", help="only each Nth model from the Ith on, without a report")
    command.add_argument("--out", type=Path, required=True, metavar="DIR")
    command.add_argument("--json", action="store_true", help="print JSON")


def _printer(command: argparse.ArgumentParser) -> None:
    """Which stand-in, and where it is to be found."""
    command.add_argument("--kind", choices=("filament", "resin"), help="of the printer (filament)")
    command.add_argument("--profile", metavar="NAME", help="a shipped printer profile, or a profile's JSON file")
    command.add_argument("--port", type=int, default=0, metavar="N", help="on this machine; 0: any that is free (0)")
    command.add_argument("--token", metavar="T", help="that whoever asks must know (a random one, which is printed)")
    command.add_argument("--folder", type=Path, metavar="DIR", help="a folder that it watches besides")
    command.add_argument("--keep", type=Path, metavar="DIR", help="where it keeps its jobs (in the user's folder)")
    command.add_argument("--speed", type=_number, default=1.0, metavar="X",
                         help="how often faster than real its clock goes (1)")  # fmt: skip
    command.add_argument("--loaded", type=_number, metavar="G", help="material in it (1000 g, or what was left)")
    command.add_argument("--json", action="store_true", help="print JSON")


def _send(command: argparse.ArgumentParser) -> None:
    """Which bed, and where to."""
    command.add_argument("file", type=Path, metavar="BED", help="a 3MF, or a ZIP of layers")
    command.add_argument("--to", required=True, metavar="URL", help="of the printer")
    command.add_argument("--token", required=True, metavar="T", help="of the printer")
    command.add_argument("--id", metavar="ID", help="of the job (from the name of the file and what is in it)")
    command.add_argument("--wait", action="store_true", help="until it is printed, or has failed")
    command.add_argument("--json", action="store_true", help="print JSON")


def _files(command: argparse.ArgumentParser) -> None:
    """Which files are written of pieces and beds."""
    command.add_argument("--quick", action="store_true", help="lay the pieces in one order only, hardly turned")
    command.add_argument("--pieces", nargs="*", choices=FORMATS, default=["stl"], metavar="FORMAT", dest="piece_files",
                         help=f"files of each piece: {', '.join(FORMATS)}, or none (stl)")  # fmt: skip
    command.add_argument("--beds", nargs="*", choices=FORMATS, default=["3mf"], metavar="FORMAT", dest="bed_files",
                         help="files of each bed, in the same formats (3mf)")  # fmt: skip
    command.add_argument("--names", default=PATTERN, metavar="PATTERN",
                         help=f"of the files of pieces, with {', '.join(FIELDS)} in braces ({PATTERN})")  # fmt: skip
    command.add_argument("--assembled", action="store_true",
                         help="pieces where they belong on the prop instead of in their seats")  # fmt: skip
    command.add_argument("--bare", action="store_true", help="without the posts of the plan")
    command.add_argument("--equal-once", action="store_true", help="equal pieces as one file, with a count")
    command.add_argument("--layers", action="store_true",
                         help="layers of each bed too, as PNG pictures in a ZIP and polygons in a 3MF")  # fmt: skip
    command.add_argument("--sheet", nargs="?", choices=PAPERS, const=PAPERS[0], metavar="PAPER",
                         help=f"the sheet for the bench too, as PDF ({', '.join(PAPERS)}) and HTML")  # fmt: skip


def _stands(command: argparse.ArgumentParser, lift: float = 0.0) -> None:
    """How the whole stands, and how far over the bed."""
    _down(command)
    command.add_argument("--lift", type=_number, default=lift, metavar="MM",
                         help=f"how far over the bed, on support ({lift:g})")  # fmt: skip


def _layers(command: argparse.ArgumentParser) -> None:
    """What is looked at layer by layer."""
    _stands(command)
    command.add_argument("--layer", type=_number, metavar="MM", help="layer height (the usual one of the printer)")
    _cuts(command)


def _cuts(command: argparse.ArgumentParser) -> None:
    """What is cut."""
    command.add_argument("--straight", type=_number, nargs=4, action="append", default=[],
                         metavar=("NX", "NY", "NZ", "OFFSET"),
                         help="points p with n.p = OFFSET (mm), n made length 1; may be repeated")  # fmt: skip
    command.add_argument("--recipe", type=Path, metavar="FILE",
                         help="cuts and joins of all kinds, as JSON (docs/recipes.md)")  # fmt: skip
    _scaled(command)
    _mending(command)


def _scaled(command: argparse.ArgumentParser) -> None:
    command.add_argument("--recipe-scaled", choices=list(SCALED),
                         help="take the recipe over from the model that it was made for: scaled by one factor, by one "
                         "for each axis, or moved only")  # fmt: skip


def _recipe(command: argparse.ArgumentParser) -> None:
    """What is cut, and where the pieces are written."""
    _cuts(command)
    _out(command)


def _out(command: argparse.ArgumentParser) -> None:
    command.add_argument("--out", type=Path, required=True, metavar="DIR")
    command.add_argument("--replace", action="store_true", help="replace files of the same names")


def _rod(given: str) -> float:
    """mm, diameter of a rod."""
    size = float(given)
    if not THINNEST < size <= THICKEST:
        raise argparse.ArgumentTypeError(f"rods are {THINNEST:g} to {THICKEST:g} mm thick")
    return size


def _coupon(test: argparse.ArgumentParser) -> None:
    """What a coupon is of."""
    test.add_argument("--printer", metavar="NAME", help="a shipped printer profile, or a profile's JSON file")
    test.add_argument("--key", type=_number, default=8.0, metavar="MM", help="a round key of this width (8)")
    test.add_argument("--rod", type=_number, metavar="MM", help="holes for round stock of this diameter instead")
    test.add_argument("--clearances", type=_number, nargs="+", metavar="MM",
                      help="per side, one hole each (five steps of 0.05 around the printer's)")  # fmt: skip
    test.add_argument("--fitted", type=_number, metavar="MM",
                      help="write the profile with this clearance, which fitted best, instead of a coupon")  # fmt: skip
    test.add_argument("--material", default="", metavar="NAME", help="what it was printed of, for --fitted")
    test.add_argument("--out", type=Path, required=True, metavar="FILE", help="STL, 3MF, PLY, OBJ or OFF, in mm")
    test.add_argument("--replace", action="store_true", help="replace a file of that name")
    test.add_argument("--json", action="store_true", help="print JSON")


def _tilt(tilt: argparse.ArgumentParser) -> None:
    """Which seats are looked for."""
    _common(tilt)
    _overhang(tilt)
    _mending(tilt)
    tilt.add_argument("--top", type=int, default=8, metavar="N", help="at most so many seats (8)")
    tilt.add_argument("--lift", type=_number, default=0.0, metavar="MM", help="how far over the bed, on support (0)")
    tilt.add_argument("--map", type=int, default=0, metavar="N",
                      help="also the figures of N directions spread evenly, from a simplified mesh")  # fmt: skip


def _ways(propose: argparse.ArgumentParser) -> None:
    """What ways to part a model are looked for by."""
    propose.add_argument("--pieces", type=int, default=2, metavar="N", help="at most so many pieces (2)")
    propose.add_argument("--seam-limit", type=_number, metavar="MM", help="seam in sight of all cuts, at most")
    propose.add_argument("--flat", action="store_true", help="only ways in which every piece sits flat")
    propose.add_argument("--fit", metavar="PRINTER",
                         help="only ways in which every piece fits this printer; instead of --printer")  # fmt: skip
    propose.add_argument("--avoid", type=_number, nargs=4, action="append", default=[], metavar=("X", "Y", "Z", "R"),
                         help="no cut may cross the surface in this ball, mm; may be repeated")  # fmt: skip
    propose.add_argument("--prefer", type=_number, nargs=4, action="append", default=[], metavar=("X", "Y", "Z", "R"),
                         help="seams are welcome in this ball, mm, and count a quarter; may be repeated")  # fmt: skip
    propose.add_argument("--least", type=_number, default=0.0, metavar="CM3", help="volume of each piece, at least (0)")
    propose.add_argument("--keep-shells", action="store_true", help="no cut may open a closed void")
    propose.add_argument("--thorough", action="store_true", help="follow more of everything, which takes longer")
    propose.add_argument("--time", type=_number, metavar="S",
                         help="stop after so many seconds, with what there is")  # fmt: skip
    propose.add_argument("--top", type=int, metavar="N", help="at most so many ways, spread over the front")
