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
from ..core.search.results import SWEEP_PLACES
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
    command.add_argument("-j", "--json", action="store_true", help=tr("print all figures as JSON"))
    command.add_argument("-q", "--quiet", action="store_true", help=tr("show no progress"))
    command.add_argument("-v", "--verbose", action="store_true", help=tr("print a line for each step"))


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
    command.add_argument("--mend", action="store_true", help=tr("mend the model in memory first, as far as "
                                                                "necessary"))


def common(command: argparse.ArgumentParser) -> None:
    """Add the model and its size."""
    command.add_argument("file", type=Path, metavar="FILE", help=tr("the model: {list}", list=names()))
    command.add_argument("--unit", choices=list(UNITS),
                         help=tr("unit of the file (default: the one that it states, else mm)"))
    command.add_argument("--scale", type=number, default=1.0, metavar="S", help=tr("scale factor, in addition to "
                                                                                   "the unit"))
    command.add_argument("--stretch", type=number, nargs=3, default=(1.0, 1.0, 1.0), metavar=("X", "Y", "Z"),
                         help=tr("further scale factors along the axes of the file"))
    command.add_argument("--mirror", choices=("x", "y", "z"), help=tr("mirror along an axis of the file"))
    command.add_argument(
        "--fineness",
        type=number,
        default=FINENESS,
        metavar="MM",
        help=tr("accuracy of the triangles of a STEP file ({fineness:g} mm)", fineness=FINENESS),
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
                         help=tr("direction, in the model frame, that points to the bed; any length"))


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
                         help=tr("height above the bed up to which the piece stays solid (0)"))
    command.add_argument(
        "--lattice", type=number, nargs=2, metavar=("SPACING", "RADIUS"), help=tr("rods through the void")
    )
    command.add_argument("--vents", type=int, default=MOST_VENTS, metavar="N",
                         help=tr("largest number of vents for each void ({most_vents})", most_vents=MOST_VENTS))
    command.add_argument("--plugs", action="store_true", help=tr("make a separate plug for each vent"))
    recipe(command)


def posts(command: argparse.ArgumentParser) -> None:
    """Add what gets posts, and how thick they are."""
    common(command)
    overhang(command)
    stands(command, lift=5.0)
    command.add_argument("--layer", type=number, metavar="MM", help=tr("layer height (the usual one of the printer)"))
    command.add_argument("--tip", type=number, default=0.3, metavar="MM", help=tr("diameter where a post touches "
                                                                                  "the piece (0.3)"))
    command.add_argument("--stem", type=number, default=0.8, metavar="MM", help=tr("diameter of the stem (0.8)"))
    command.add_argument(
        "--plate", type=number, default=0.0, metavar="MM", help=tr("thickness of a plate under all feet (0)")
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
            "how pieces are put on beds: fewest beds; one piece per bed (piece); longest bed first (hours); beds "
            "of one material after another (colour)"
        ),
    )
    command.add_argument(
        "--second",
        metavar="NAME",
        help=tr("a second printer, given like --printer; pieces are shared out so that everything is done soonest"),
    )
    command.add_argument("--coupon", action="store_true",
                         help=tr("also print one coupon for the first key or dowel of the recipe"))
    command.add_argument("--material", nargs=2, action="append", default=[], metavar=("N", "NAME"),
                         help=tr("print piece N in this material of its printer's profile; may be repeated"))
    files(command)
    recipe(command)


def run(command: argparse.ArgumentParser) -> None:
    """Add the project, and what is written of it."""
    command.add_argument("file", type=Path, metavar="PROJECT", help=tr("a project saved by the window"))
    command.add_argument("--choice", metavar="NAME", help=tr("use a kept choice of the project instead of the plan "
                                                             "on the bed"))
    profile(command, said=tr("use this profile (shipped, or a JSON file) instead of the project's own"))
    files(command)
    out(command)
    told(command)


def batch(command: argparse.ArgumentParser) -> None:
    """Add the models, and what is done with each."""
    command.add_argument("folder", type=Path, metavar="FOLDER", help=tr("folder with models and projects"))
    ways = command.add_mutually_exclusive_group()
    ways.add_argument("--recipe", type=Path, metavar="FILE", help=tr("cut all models by this recipe"))
    scaled(command)
    ways.add_argument("--propose", type=int, metavar="N",
                      help=tr("cut each model into at most N pieces, by the plan that leaves the least support"))
    profile(command)
    command.add_argument("--jobs", type=int, metavar="N", help=tr("number of models processed at once (the number "
                                                                  "of cores)"))
    command.add_argument("--again", action="store_true", help=tr("also process models that are done already"))
    command.add_argument("--part", metavar="I/N", help=tr("process only every Nth model from the Ith on, and write "
                                                          "no report"))
    command.add_argument("-o", "--out", type=Path, required=True, metavar="DIR",
                         help=tr("folder to write into; it is created if necessary"))
    told(command)


def printer(command: argparse.ArgumentParser) -> None:
    """Add the stand-in, and its address."""
    command.add_argument("--kind", choices=("filament", "resin"), help=tr("kind of printer (filament)"))
    profile(command, "--profile")
    command.add_argument(
        "--port", type=int, default=0, metavar="N", help=tr("port on this machine; 0 means any free one (0)")
    )
    token(command, tr("access token that clients must send (a random one, which is printed)"))
    command.add_argument("--folder", type=Path, metavar="DIR", help=tr("folder to watch as well"))
    command.add_argument("--keep", type=Path, metavar="DIR", help=tr("where to store jobs (in the user's folder)"))
    command.add_argument("--speed", type=number, default=1.0, metavar="X",
                         help=tr("clock speed, as a multiple of real time (1)"))
    command.add_argument("--loaded", type=number, metavar="G", help=tr("material loaded (1000 g, or what was left)"))
    told(command)


def token(command: argparse.ArgumentParser, what: str) -> None:
    """Add how an access token is given. The help warns that others on the machine can read a command line in the
    list of processes.
    """
    ways = command.add_mutually_exclusive_group()
    ways.add_argument("--token", metavar="T", help=what)
    ways.add_argument("--token-file", type=Path, metavar="FILE",
                      help=tr("file that contains the access token (or set {name} in the environment); other users "
                              "can see a token on the command line", name=TOKEN))


def send(command: argparse.ArgumentParser) -> None:
    """Add the bed, and its destination."""
    command.add_argument("file", type=Path, metavar="BED", help=tr("3MF, or ZIP of layers"))
    command.add_argument("--to", required=True, metavar="URL", help=tr("address of the printer"))
    token(command, tr("access token of the printer"))
    command.add_argument("--id", metavar="ID", help=tr("id of the job (from the name and the contents of the file)"))
    command.add_argument("--wait", action="store_true", help=tr("wait until the bed is printed or has failed"))
    told(command)


def files(command: argparse.ArgumentParser) -> None:
    """Add the files that are written for pieces and beds."""
    command.add_argument("--quick", action="store_true", help=tr("try only one order of the pieces, with few "
                                                                 "rotations"))
    command.add_argument("--pieces", nargs="*", choices=WRITTEN, default=["stl"], metavar="FORMAT", dest="piece_files",
                         help=tr("formats for each piece: {list}, or none (stl)", list=', '.join(WRITTEN)))
    command.add_argument("--beds", nargs="*", choices=WRITTEN, default=["3mf"], metavar="FORMAT", dest="bed_files",
                         help=tr("formats for each bed, as above (3mf)"))
    command.add_argument(
        "--names",
        default=PATTERN,
        metavar="PATTERN",
        help=tr("names of the files of pieces, with {list} in braces "
                "({pattern})", list=", ".join(FIELDS), pattern=PATTERN),
    )
    command.add_argument("--assembled", action="store_true",
                         help=tr("write pieces in their place on the prop instead of in their seats"))
    command.add_argument("--bare", action="store_true", help=tr("leave out the posts of the plan"))
    command.add_argument("--equal-once", action="store_true", help=tr("write equal pieces as one file, with a count"))
    command.add_argument("--layers", action="store_true",
                         help=tr("also write the layers of each bed, as PNG pictures in a ZIP and as polygons in a "
                                 "3MF"))
    command.add_argument(
        "--sheet",
        nargs="?",
        choices=PAPERS,
        const=PAPERS[0],
        metavar="PAPER",
        help=tr("also write the sheet for the bench, as PDF ({list}) and HTML", list=", ".join(PAPERS)),
    )


def stands(command: argparse.ArgumentParser, lift: float = 0.0) -> None:
    """Add how the whole model stands, and how far above the bed."""
    down(command)
    command.add_argument("--lift", type=number, default=lift, metavar="MM",
                         help=tr("height above the bed, on support ({lift:g})", lift=lift))


def layers(command: argparse.ArgumentParser) -> None:
    """Add what is checked layer by layer."""
    stands(command)
    command.add_argument("--layer", type=number, metavar="MM", help=tr("layer height (the usual one of the printer)"))
    cuts(command)


def cuts(command: argparse.ArgumentParser) -> None:
    """Add the cuts."""
    command.add_argument("--straight", type=number, nargs=4, action="append", default=[],
                         metavar=("NX", "NY", "NZ", "OFFSET"),
                         help=tr("straight cut through the points p with n.p = OFFSET (mm), where n is scaled to "
                                 "length 1; may be repeated"))
    command.add_argument("--recipe", type=Path, metavar="FILE",
                         help=tr("recipe file with cuts and joins, as stored by the window or printed by propose "
                                 "--json"))
    scaled(command)
    mending(command)


def scaled(command: argparse.ArgumentParser) -> None:
    command.add_argument(
        "--recipe-scaled",
        choices=list(SCALED),
        help=tr(
            "how to adapt the recipe from its own model: scaled by one factor, scaled along each axis, or only "
            "moved"
        ),
    )


def recipe(command: argparse.ArgumentParser) -> None:
    """Add the cuts, and where the pieces are written."""
    cuts(command)
    out(command)


def out(command: argparse.ArgumentParser) -> None:
    command.add_argument("-o", "--out", type=Path, required=True, metavar="DIR",
                         help=tr("folder to write into; it is created if necessary"))
    command.add_argument("--replace", action="store_true", help=tr("replace existing files"))


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
    test.add_argument("--rod", type=number, metavar="MM", help=tr("holes for a rod of this diameter instead"))
    test.add_argument("--clearances", type=number, nargs="+", metavar="MM",
                      help=tr("clearances per side, one for each hole (five steps of 0.05 around the printer's)"))
    test.add_argument(
        "--fitted",
        type=number,
        metavar="MM",
        help=tr("write the profile with the clearance that fitted best, instead of a coupon"),
    )
    test.add_argument("--material", default="", metavar="NAME", help=tr("material of the coupon, for --fitted"))
    test.add_argument(
        "-o", "--out", type=Path, required=True, metavar="FILE", help=tr("{list}, in mm", list=names(written=True))
    )
    test.add_argument("--replace", action="store_true", help=tr("replace an existing file"))
    told(test)


def tilt(tilt: argparse.ArgumentParser) -> None:
    """Add the conditions for seats."""
    common(tilt)
    overhang(tilt)
    mending(tilt)
    tilt.add_argument("--top", type=int, default=8, metavar="N", help=tr("largest number of seats (8)"))
    tilt.add_argument("--lift", type=number, default=0.0, metavar="MM", help=tr("height above the bed, on support "
                                                                                "(0)"))
    tilt.add_argument("--map", type=int, default=0, metavar="N",
                      help=tr("also give the figures of N evenly spread directions, from a draft mesh"))


def sweep(sweep: argparse.ArgumentParser) -> None:
    """Add the direction and the places of a sweep."""
    common(sweep)
    overhang(sweep)
    sweep.add_argument("--normal", type=number, nargs=3, required=True, metavar=("X", "Y", "Z"),
                       help=tr("direction that the cut faces, in the model frame; any length"))
    sweep.add_argument("--places", type=int, default=SWEEP_PLACES, metavar="N",
                       help=tr("number of places ({count})", count=SWEEP_PLACES))
    mending(sweep)


def ways(propose: argparse.ArgumentParser) -> None:
    """Add the conditions for ways to cut a model."""
    propose.add_argument("--pieces", type=int, default=2, metavar="N", help=tr("largest number of pieces (2)"))
    propose.add_argument("--seam-limit", type=number, metavar="MM", help=tr("largest seam in sight of all cuts "
                                                                            "together"))
    propose.add_argument("--flat", action="store_true", help=tr("only plans in which every piece sits flat"))
    propose.add_argument("--fit", metavar="PRINTER",
                         help=tr("only plans in which every piece fits this printer; replaces --printer"))
    propose.add_argument("--avoid", type=number, nargs=4, action="append", default=[], metavar=("X", "Y", "Z", "R"),
                         help=tr("ball, in mm, in which no cut may cross the surface; may be repeated"))
    propose.add_argument(
        "--prefer",
        type=number,
        nargs=4,
        action="append",
        default=[],
        metavar=("X", "Y", "Z", "R"),
        help=tr("ball, in mm, in which seams are welcome and count a quarter; may be repeated"),
    )
    propose.add_argument(
        "--least", type=number, default=0.0, metavar="CM3", help=tr("smallest volume of a piece (0)")
    )
    propose.add_argument("--keep-shells", action="store_true", help=tr("no cut may open a closed void"))
    propose.add_argument("--thorough", action="store_true", help=tr("search more thoroughly, which takes longer"))
    propose.add_argument("--time", type=number, metavar="S",
                         help=tr("stop after this many seconds with what has been found"))
    propose.add_argument("--top", type=int, metavar="N", help=tr("largest number of plans, spread over the front"))


def walls(figures: argparse.ArgumentParser) -> None:
    """Add what else is measured of a model."""
    figures.add_argument(
        "--wall",
        type=number,
        metavar="MM",
        help=tr("also give the thinnest wall, and the area where the wall is thinner than this"),
    )
    figures.add_argument(
        "--wearer",
        nargs=2,
        metavar=("FORM", "MM"),
        help=tr("also give the room around a form ({list}) of this measure, put inside the "
                "prop", list=", ".join(FORMS)),
    )
    figures.add_argument("--clearance", type=number, default=WEARER_CLEARANCE, metavar="MM",
                         help=tr("clearance wanted around the wearer's form ({usual:g})",
                                 usual=WEARER_CLEARANCE))


def mended(mend: argparse.ArgumentParser) -> None:
    """Add how a surface is repaired, and where it is written."""
    mend.add_argument(
        "-o", "--out", type=Path, required=True, metavar="FILE", help=tr("{list}, in mm", list=names(written=True))
    )
    mend.add_argument("--replace", action="store_true", help=tr("replace an existing file"))
    mend.add_argument("--rewrap", type=number, metavar="MM", help=tr("rewrap the surface with this fineness"))
    mend.add_argument("--thin", type=int, metavar="N", help=tr("simplify the surface to about N triangles"))
    mend.add_argument("--drop-specks", action="store_true", help=tr("leave out stray specks"))


def join(join: argparse.ArgumentParser) -> None:
    """Add which joins are made."""
    join.add_argument("--auto", action="store_true", help=tr("propose joins for the contacts that have none"))
    join.add_argument("--rods", type=rod, nargs="+", default=STOCK, metavar="MM",
                      help=tr("diameters of the rods in stock, for dowel holes"))
    join.add_argument("--letters", action="store_true",
                      help=tr("engrave the number of the piece and a letter in both faces of each contact"))
    join.add_argument("--assembled", action="store_true",
                      help=tr("write the pieces in their place on the prop instead of in their seats"))
