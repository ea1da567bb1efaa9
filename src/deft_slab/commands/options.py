"""The options of the commands, grouped by topic."""

from __future__ import annotations

import argparse
import math
from pathlib import Path
from typing import get_args

from ..core.defaults import THRESHOLD, WEARER_CLEARANCE
from ..core.exporting.naming import FIELDS, PATTERN
from ..core.exporting.paper_sizes import PAPERS
from ..core.formats import WRITTEN, names
from ..core.importing.fineness import FINENESS
from ..core.joins import STOCK, THICKEST, THINNEST
from ..core.locale.translate import tr
from ..core.plan.hollow import MOST_VENTS
from ..core.plan.placements import BedsBy
from ..core.plan.plan import UNITS
from ..core.plan.recipe import SCALINGS
from ..core.wearer.measures import FORMS

SCALED = {one.replace(" ", "-"): one for one in SCALINGS if one != "as it is"}
"""How a recipe is taken over, by the word for it: shells part words at blanks."""


TOKEN = "DEFT_SLAB_TOKEN"
"""The variable of the environment that holds an access token."""


def number(word: str) -> float:
    """A number for the argument parser, which refuses "nan" and "inf"."""
    value = float(word)
    if not math.isfinite(value):
        raise ValueError(word)
    return value


def told(command: argparse.ArgumentParser) -> None:
    """Add how a command reports: as JSON, quietly, or step by step."""
    command.add_argument("-j", "--json", action="store_true", help=tr("print JSON, with all figures"))
    command.add_argument("-q", "--quiet", action="store_true", help=tr("do not show how far it is"))
    command.add_argument("-v", "--verbose", action="store_true", help=tr("a line for each thing that is done"))


def profile(command: argparse.ArgumentParser, option: str = "--printer", said: str = "") -> None:
    """Add the printer profile, by its name or its file.

    Parameters
    ----------
    said : str
        The help text, if it differs from the usual one.
    """
    usual = tr("a shipped printer profile, or a profile's JSON file")
    command.add_argument(option, metavar="NAME", help=said or usual)


def mending(command: argparse.ArgumentParser) -> None:
    command.add_argument("--mend", action="store_true", help=tr("mend it in memory first, as far as it needs"))


def common(command: argparse.ArgumentParser) -> None:
    """Add the model and its size."""
    command.add_argument("file", type=Path, metavar="FILE", help=tr("the model: {list}", list=names()))
    command.add_argument("--unit", choices=list(UNITS),
                         help=tr("what one unit of the file is (default: as stated in it, else mm)"))
    command.add_argument("--scale", type=number, default=1.0, metavar="S", help=tr("factor on top of the unit"))
    command.add_argument("--stretch", type=number, nargs=3, default=(1.0, 1.0, 1.0), metavar=("X", "Y", "Z"),
                         help=tr("further factors along the axes of the file"))
    command.add_argument("--mirror", choices=("x", "y", "z"), help=tr("mirror along an axis of the file"))
    command.add_argument(
        "--fineness",
        type=number,
        default=FINENESS,
        metavar="MM",
        help=tr("how exactly the faces of a STEP file are drawn ({fineness:g} mm)", fineness=FINENESS),
    )
    told(command)


def overhang(command: argparse.ArgumentParser) -> None:
    """Add the overhang threshold and other conditions."""
    command.add_argument("--theta", type=number, default=THRESHOLD, metavar="DEG",
                         help=tr("overhang angle past which support is needed, from the vertical ({usual:g})",
                                 usual=THRESHOLD))
    profile(command)


def down(command: argparse.ArgumentParser) -> None:
    """Add how the whole model stands."""
    command.add_argument("--down", type=number, nargs=3, default=(0.0, 0.0, -1.0), metavar=("X", "Y", "Z"),
                         help=tr("direction of the model frame that points to the bed; any length"))


def hollow(command: argparse.ArgumentParser) -> None:
    """Add what is hollowed, and how."""
    common(command)
    overhang(command)
    stands(command)
    command.add_argument("--wall", type=number, required=True, metavar="MM", help=tr("thickness of the wall that "
                                                                                     "stays"))
    command.add_argument("--hollow-fineness", type=number, metavar="MM",
                         help=tr("accuracy of the inner surface (a quarter of the wall)"))
    command.add_argument("--solid-below", type=number, default=0.0, metavar="MM",
                         help=tr("stays solid up to this height over the bed (0)"))
    command.add_argument(
        "--lattice", type=number, nargs=2, metavar=("SPACING", "RADIUS"), help=tr("rods through the void")
    )
    command.add_argument("--vents", type=int, default=MOST_VENTS, metavar="N",
                         help=tr("at most so many for each void ({most_vents})", most_vents=MOST_VENTS))
    command.add_argument("--plugs", action="store_true", help=tr("with a plug for each vent, as a piece of its own"))
    recipe(command)


def posts(command: argparse.ArgumentParser) -> None:
    """Add what gets posts, and how thick they are."""
    common(command)
    overhang(command)
    stands(command, lift=5.0)
    command.add_argument("--layer", type=number, metavar="MM", help=tr("layer height (the usual one of the printer)"))
    command.add_argument("--tip", type=number, default=0.3, metavar="MM", help=tr("across, where a post touches (0.3)"))
    command.add_argument("--stem", type=number, default=0.8, metavar="MM", help=tr("across, of the stem (0.8)"))
    command.add_argument(
        "--plate", type=number, default=0.0, metavar="MM", help=tr("a plate so thick under all feet (0)")
    )
    recipe(command)


def handoff(command: argparse.ArgumentParser) -> None:
    """Add what is laid on beds, and what is written."""
    common(command)
    overhang(command)
    stands(command)
    command.add_argument("--copies", type=int, default=1, metavar="N", help=tr("copies of the whole prop (1)"))
    command.add_argument(
        "--beds-by",
        choices=get_args(BedsBy),
        default="fewest",
        metavar="WAY",
        help=tr(
            "fewest beds; one piece to a bed (piece); the longest bed first (hours); those of "
            "one material after each other (colour)"
        ),
    )
    command.add_argument(
        "--second",
        metavar="NAME",
        help=tr("a second printer at once, as --printer; pieces are shared out so that all is done soonest"),
    )
    command.add_argument("--coupon", action="store_true",
                         help=tr("also a coupon, once, for the first key or dowel of the recipe"))
    command.add_argument("--material", nargs=2, action="append", default=[], metavar=("N", "NAME"),
                         help=tr("piece N is of this material of its printer's profile; may be repeated"))
    files(command)
    recipe(command)


def run(command: argparse.ArgumentParser) -> None:
    """Add the project, and what is written of it."""
    command.add_argument("file", type=Path, metavar="PROJECT", help=tr("a project, as the window saves it"))
    command.add_argument("--choice", metavar="NAME", help=tr("a choice that it keeps, instead of what is on its bed"))
    profile(command, said=tr("a shipped profile, or a profile's JSON file, for its own"))
    files(command)
    out(command)
    told(command)


def batch(command: argparse.ArgumentParser) -> None:
    """Add the models, and what is done with each."""
    command.add_argument("folder", type=Path, metavar="FOLDER", help=tr("the models in it, and its projects"))
    ways = command.add_mutually_exclusive_group()
    ways.add_argument("--recipe", type=Path, metavar="FILE", help=tr("part all of them by this recipe"))
    scaled(command)
    ways.add_argument("--propose", type=int, metavar="N",
                      help=tr("part each into at most N pieces, by the way that leaves the least support"))
    profile(command)
    command.add_argument("--jobs", type=int, metavar="N", help=tr("so many at once (as many as there are cores)"))
    command.add_argument("--again", action="store_true", help=tr("also those that are done already"))
    command.add_argument("--part", metavar="I/N", help=tr("only each Nth model from the Ith on, without a report"))
    command.add_argument("-o", "--out", type=Path, required=True, metavar="DIR",
                         help=tr("the folder that is written into; it is made if it is not there"))
    told(command)


def printer(command: argparse.ArgumentParser) -> None:
    """Add the stand-in, and its address."""
    command.add_argument("--kind", choices=("filament", "resin"), help=tr("of the printer (filament)"))
    profile(command, "--profile")
    command.add_argument(
        "--port", type=int, default=0, metavar="N", help=tr("on this machine; 0: any that is free (0)")
    )
    token(command, tr("access token that clients must send (a random one, which is printed)"))
    command.add_argument("--folder", type=Path, metavar="DIR", help=tr("a folder that it watches besides"))
    command.add_argument("--keep", type=Path, metavar="DIR", help=tr("where it keeps its jobs (in the user's folder)"))
    command.add_argument("--speed", type=number, default=1.0, metavar="X",
                         help=tr("clock speed, as a multiple of real time (1)"))
    command.add_argument("--loaded", type=number, metavar="G", help=tr("material in it (1000 g, or what was left)"))
    told(command)


def token(command: argparse.ArgumentParser, what: str) -> None:
    """Add how an access token is given. The help warns that others on the machine can read a command line in the
    list of processes.
    """
    ways = command.add_mutually_exclusive_group()
    ways.add_argument("--token", metavar="T", help=what)
    ways.add_argument("--token-file", type=Path, metavar="FILE",
                      help=tr("a file that holds the token (or set {name} in the environment); others "
                              "can read a command line", name=TOKEN))


def send(command: argparse.ArgumentParser) -> None:
    """Add the bed, and its destination."""
    command.add_argument("file", type=Path, metavar="BED", help=tr("a 3MF, or a ZIP of layers"))
    command.add_argument("--to", required=True, metavar="URL", help=tr("address of the printer"))
    token(command, tr("access token of the printer"))
    command.add_argument("--id", metavar="ID", help=tr("of the job (from the name of the file and what is in it)"))
    command.add_argument("--wait", action="store_true", help=tr("until it is printed, or has failed"))
    told(command)


def files(command: argparse.ArgumentParser) -> None:
    """Add the files that are written for pieces and beds."""
    command.add_argument("--quick", action="store_true", help=tr("lay the pieces in one order only, hardly turned"))
    command.add_argument("--pieces", nargs="*", choices=WRITTEN, default=["stl"], metavar="FORMAT", dest="piece_files",
                         help=tr("files of each piece: {list}, or none (stl)", list=', '.join(WRITTEN)))
    command.add_argument("--beds", nargs="*", choices=WRITTEN, default=["3mf"], metavar="FORMAT", dest="bed_files",
                         help=tr("files of each bed, in the same formats (3mf)"))
    command.add_argument(
        "--names",
        default=PATTERN,
        metavar="PATTERN",
        help=tr("of the files of pieces, with {list} in braces ({pattern})", list=", ".join(FIELDS), pattern=PATTERN),
    )
    command.add_argument("--assembled", action="store_true",
                         help=tr("pieces where they belong on the prop instead of in their seats"))
    command.add_argument("--bare", action="store_true", help=tr("without the posts of the plan"))
    command.add_argument("--equal-once", action="store_true", help=tr("equal pieces as one file, with a count"))
    command.add_argument("--layers", action="store_true",
                         help=tr("layers of each bed too, as PNG pictures in a ZIP and polygons in a 3MF"))
    command.add_argument(
        "--sheet",
        nargs="?",
        choices=PAPERS,
        const=PAPERS[0],
        metavar="PAPER",
        help=tr("the sheet for the bench too, as PDF ({list}) and HTML", list=", ".join(PAPERS)),
    )


def stands(command: argparse.ArgumentParser, lift: float = 0.0) -> None:
    """Add how the whole model stands, and how far above the bed."""
    down(command)
    command.add_argument("--lift", type=number, default=lift, metavar="MM",
                         help=tr("how far over the bed, on support ({lift:g})", lift=lift))


def layers(command: argparse.ArgumentParser) -> None:
    """Add what is checked layer by layer."""
    stands(command)
    command.add_argument("--layer", type=number, metavar="MM", help=tr("layer height (the usual one of the printer)"))
    cuts(command)


def cuts(command: argparse.ArgumentParser) -> None:
    """Add the cuts."""
    command.add_argument("--straight", type=number, nargs=4, action="append", default=[],
                         metavar=("NX", "NY", "NZ", "OFFSET"),
                         help=tr("points p with n.p = OFFSET (mm), n made length 1; may be repeated"))
    command.add_argument("--recipe", type=Path, metavar="FILE",
                         help=tr("cuts and joins of all kinds, as the window keeps them, or as "
                                 "propose --json gives them"))
    scaled(command)
    mending(command)


def scaled(command: argparse.ArgumentParser) -> None:
    command.add_argument(
        "--recipe-scaled",
        choices=list(SCALED),
        help=tr(
            "take the recipe over from the model that it was made for: scaled by one factor, by one "
            "for each axis, or moved only"
        ),
    )


def recipe(command: argparse.ArgumentParser) -> None:
    """Add the cuts, and where the pieces are written."""
    cuts(command)
    out(command)


def out(command: argparse.ArgumentParser) -> None:
    command.add_argument("-o", "--out", type=Path, required=True, metavar="DIR",
                         help=tr("the folder that is written into; it is made if it is not there"))
    command.add_argument("--replace", action="store_true", help=tr("replace files of the same names"))


def rod(given: str) -> float:
    """The diameter of a rod, in mm."""
    size = float(given)
    if not THINNEST < size <= THICKEST:
        raise argparse.ArgumentTypeError(
            tr("rods are {thinnest:g} to {thickest:g} mm thick", thinnest=THINNEST, thickest=THICKEST)
        )
    return size


def coupon(test: argparse.ArgumentParser) -> None:
    """Add what a coupon tests."""
    profile(test)
    test.add_argument("--key", type=number, default=8.0, metavar="MM", help=tr("a round key of this width (8)"))
    test.add_argument("--rod", type=number, metavar="MM", help=tr("holes for round stock of this diameter instead"))
    test.add_argument("--clearances", type=number, nargs="+", metavar="MM",
                      help=tr("per side, one hole each (five steps of 0.05 around the printer's)"))
    test.add_argument(
        "--fitted",
        type=number,
        metavar="MM",
        help=tr("write the profile with this clearance, which fitted best, instead of a coupon"),
    )
    test.add_argument("--material", default="", metavar="NAME", help=tr("what it was printed of, for --fitted"))
    test.add_argument(
        "-o", "--out", type=Path, required=True, metavar="FILE", help=tr("{list}, in mm", list=names(written=True))
    )
    test.add_argument("--replace", action="store_true", help=tr("replace a file of that name"))
    told(test)


def tilt(tilt: argparse.ArgumentParser) -> None:
    """Add the conditions for seats."""
    common(tilt)
    overhang(tilt)
    mending(tilt)
    tilt.add_argument("--top", type=int, default=8, metavar="N", help=tr("at most so many seats (8)"))
    tilt.add_argument("--lift", type=number, default=0.0, metavar="MM", help=tr("how far over the bed, on support (0)"))
    tilt.add_argument("--map", type=int, default=0, metavar="N",
                      help=tr("also the figures of N directions spread evenly, from a simplified mesh"))


def ways(propose: argparse.ArgumentParser) -> None:
    """Add the conditions for ways to cut a model."""
    propose.add_argument("--pieces", type=int, default=2, metavar="N", help=tr("at most so many pieces (2)"))
    propose.add_argument("--seam-limit", type=number, metavar="MM", help=tr("seam in sight of all cuts, at most"))
    propose.add_argument("--flat", action="store_true", help=tr("only ways in which every piece sits flat"))
    propose.add_argument("--fit", metavar="PRINTER",
                         help=tr("only ways in which every piece fits this printer; instead of --printer"))
    propose.add_argument("--avoid", type=number, nargs=4, action="append", default=[], metavar=("X", "Y", "Z", "R"),
                         help=tr("no cut may cross the surface in this ball, mm; may be repeated"))
    propose.add_argument(
        "--prefer",
        type=number,
        nargs=4,
        action="append",
        default=[],
        metavar=("X", "Y", "Z", "R"),
        help=tr("seams are welcome in this ball, mm, and count a quarter; may be repeated"),
    )
    propose.add_argument(
        "--least", type=number, default=0.0, metavar="CM3", help=tr("volume of each piece, at least (0)")
    )
    propose.add_argument("--keep-shells", action="store_true", help=tr("no cut may open a closed void"))
    propose.add_argument("--thorough", action="store_true", help=tr("follow more of everything, which takes longer"))
    propose.add_argument("--time", type=number, metavar="S",
                         help=tr("stop after so many seconds, with what there is"))
    propose.add_argument("--top", type=int, metavar="N", help=tr("at most so many ways, spread over the front"))


def walls(figures: argparse.ArgumentParser) -> None:
    """Add what else is measured of a model."""
    figures.add_argument(
        "--wall",
        type=number,
        metavar="MM",
        help=tr("also the thinnest wall, and the area where the wall is thinner than this"),
    )
    figures.add_argument(
        "--wearer",
        nargs=2,
        metavar=("FORM", "MM"),
        help=tr("room around a form ({list}) of this measure, put inside", list=", ".join(FORMS)),
    )
    figures.add_argument("--clearance", type=number, default=WEARER_CLEARANCE, metavar="MM",
                         help=tr("air wished around the wearer's form ({usual:g})",
                                 usual=WEARER_CLEARANCE))


def mended(mend: argparse.ArgumentParser) -> None:
    """Add how a surface is repaired, and where it is written."""
    mend.add_argument(
        "-o", "--out", type=Path, required=True, metavar="FILE", help=tr("{list}, in mm", list=names(written=True))
    )
    mend.add_argument("--replace", action="store_true", help=tr("replace a file of that name"))
    mend.add_argument("--rewrap", type=number, metavar="MM", help=tr("make the surface anew at this fineness"))
    mend.add_argument("--thin", type=int, metavar="N", help=tr("thin it to about N triangles"))
    mend.add_argument("--drop-specks", action="store_true", help=tr("leave stray specks out"))


def join(join: argparse.ArgumentParser) -> None:
    """Add which joins are made."""
    join.add_argument("--auto", action="store_true", help=tr("propose joins for the contacts that have none"))
    join.add_argument("--rods", type=rod, nargs="+", default=STOCK, metavar="MM",
                      help=tr("diameters of the rods that you have, for dowel holes"))
    join.add_argument("--letters", action="store_true",
                      help=tr("sink the number of its piece and a letter into both faces of each contact"))
    join.add_argument("--assembled", action="store_true",
                      help=tr("write the pieces where they belong on the prop instead of in their seats"))
