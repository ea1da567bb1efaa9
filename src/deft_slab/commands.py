"""What deft-slab does without a window: measure, mend, tilt, cut, sweep, propose. Loads neither Qt nor VTK."""

from __future__ import annotations

import argparse
import io
import json
import logging
import math
import os
import sys
from concurrent.futures import ThreadPoolExecutor
from dataclasses import fields
from pathlib import Path

import numpy as np

from . import logbook
from .core.cuts import Cut, StraightCut
from .core.errors import BadPlan, CutFailed, DeftError
from .core.handoff.equal import first_equals
from .core.handoff.pieces import file_name, write_3mf, write_solid, write_stls
from .core.handoff.saving import refuse_existing
from .core.intake.files import Opened, open_file
from .core.intake.step import COARSEST, FINENESS, FINEST
from .core.intake.surfaces import shown
from .core.intake.units import likely_unit
from .core.judge.base import fit, largest_scale
from .core.judge.exposure import exposure, spread_directions
from .core.judge.figures import measure
from .core.judge.tilts import down_to_rotation, set_down, unit
from .core.judge.walls import thickness, thinnest
from .core.mend.mended import advised
from .core.outcome import MendReport, Outcome, Piece
from .core.plan import MOST_CUTS, UNITS, Guest, Mending, PieceWish, Plan, Recipe, read_recipe
from .core.printer import Printer, default_printer, read_printer, shipped_printers
from .core.search.figures import sweep
from .core.search.found import CutWishes, MapFigures
from .core.search.places import SWEEP_PLACES, cut_subject, swept
from .core.search.proposals import MOST_PROPOSALS, proposed_plans
from .core.search.tilts import seats_worth_trying
from .core.search.weighing import PRESETS
from .core.solid import Solid
from .core.wearer.measures import FORMS
from .core.wearer.room import room_around, scale_with_clearance, settled_place
from .core.workshop import Workshop

_log = logging.getLogger(__name__)


def _number(word: str) -> float:
    """A number for the argument parser; "nan" and "inf" are none."""
    value = float(word)
    if not math.isfinite(value):
        raise ValueError(word)
    return value


_number.__name__ = "number"  # what the parser calls it in its message


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="deft-slab", description="Tilt and cut props so that they print clean.")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")

    def common(command: argparse.ArgumentParser) -> None:
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

    def overhang(command: argparse.ArgumentParser) -> None:
        command.add_argument("--theta", type=_number, default=45.0, metavar="DEG",
                             help="overhang angle past which support is needed, from the vertical (45)")  # fmt: skip
        command.add_argument("--printer", metavar="NAME", help="a shipped printer profile, or a profile's JSON file")

    figures = commands.add_parser("measure", help="figures of a model in one tilt")
    common(figures)
    overhang(figures)
    figures.add_argument("--down", type=_number, nargs=3, default=(0.0, 0.0, -1.0), metavar=("X", "Y", "Z"),
                         help="direction of the model frame that points to the bed; any length")  # fmt: skip
    figures.add_argument("--mend", action="store_true", help="mend it in memory first, as far as it needs")
    figures.add_argument("--wall", type=_number, metavar="MM",
                         help="also the thinnest wall, and the area where the wall is thinner than this")  # fmt: skip
    figures.add_argument("--wearer", nargs=2, metavar=("FORM", "MM"),
                         help=f"room around a form ({', '.join(FORMS)}) of this measure, put inside")  # fmt: skip
    figures.add_argument("--clearance", type=_number, default=5.0, metavar="MM",
                         help="air wished around the wearer's form (5)")  # fmt: skip
    mend = commands.add_parser("mend", help="close and clean the surface of a model, and write it")
    common(mend)
    mend.add_argument("--out", type=Path, required=True, metavar="FILE", help="STL, 3MF, PLY, OBJ or OFF, in mm")
    mend.add_argument("--replace", action="store_true", help="replace a file of that name")
    mend.add_argument("--rewrap", type=_number, metavar="MM", help="make the surface anew at this fineness")
    mend.add_argument("--thin", type=int, metavar="N", help="thin it to about N triangles")
    mend.add_argument("--drop-specks", action="store_true", help="leave stray specks out")
    tilt = commands.add_parser("tilt", help="seats worth trying, with the figures of each")
    common(tilt)
    overhang(tilt)
    tilt.add_argument("--mend", action="store_true", help="mend it in memory first, as far as it needs")
    tilt.add_argument("--top", type=int, default=8, metavar="N", help="at most so many seats (8)")
    tilt.add_argument("--lift", type=_number, default=0.0, metavar="MM", help="how far over the bed, on support (0)")
    tilt.add_argument("--map", type=int, default=0, metavar="N",
                      help="also the figures of N directions spread evenly, from a simplified mesh")  # fmt: skip
    cut = commands.add_parser("cut", help="part a model and write the pieces")
    common(cut)
    overhang(cut)
    cut.add_argument("--straight", type=_number, nargs=4, action="append", default=[],
                     metavar=("NX", "NY", "NZ", "OFFSET"),
                     help="points p with n.p = OFFSET (mm), n made length 1; may be repeated")  # fmt: skip
    cut.add_argument("--recipe", type=Path, metavar="FILE", help="cuts of all kinds, as JSON (docs/recipes.md)")
    cut.add_argument("--mend", action="store_true", help="mend it in memory first, as far as it needs")
    cut.add_argument("--out", type=Path, required=True, metavar="DIR")
    cut.add_argument("--replace", action="store_true", help="replace files of the same names")
    cut.add_argument("--equal-once", action="store_true", help="write equal pieces as one file, with a count")
    sweep_ = commands.add_parser("sweep", help="figures of a straight cut at every place along its normal")
    common(sweep_)
    overhang(sweep_)
    sweep_.add_argument("--normal", type=_number, nargs=3, required=True, metavar=("X", "Y", "Z"),
                        help="which way the cut faces, in the model frame; any length")  # fmt: skip
    sweep_.add_argument("--places", type=int, default=SWEEP_PLACES, metavar="N",
                        help=f"so many places ({SWEEP_PLACES})")  # fmt: skip
    sweep_.add_argument("--mend", action="store_true", help="mend it in memory first, as far as it needs")
    propose = commands.add_parser("propose", help="the cuts that leave least support for the seam that is seen of them")
    common(propose)
    overhang(propose)
    propose.add_argument("--pieces", type=int, default=2, metavar="N", help="how many pieces there are to be (2)")
    propose.add_argument("--top", type=int, default=MOST_PROPOSALS, metavar="N",
                         help=f"at most so many proposals ({MOST_PROPOSALS})")  # fmt: skip
    propose.add_argument("--seam-limit", type=_number, metavar="MM", help="seam in sight, at most")
    propose.add_argument("--mend", action="store_true", help="mend it in memory first, as far as it needs")
    return parser


def _checked(arguments: argparse.Namespace) -> None:
    for name, low, high in (("scale", 1e-9, 1e6), ("theta", 0, 89), ("fineness", FINEST, COARSEST),
                            ("wall", 1e-6, 1e6), ("rewrap", 1e-6, 1e6), ("clearance", 0, 1e4), ("lift", 0, 100),
                            ("top", 1, 100), ("map", 0, 100_000), ("places", 2, 100_000), ("pieces", 2, 12),
                            ("seam_limit", 1e-6, 1e9)):  # fmt: skip
        value = getattr(arguments, name, None)
        if value is not None and not low <= value <= high:
            raise BadPlan(f"--{name} must be between {low:g} and {high:g}; got {value:g}.")


def _printer(name: str | None) -> Printer:
    """A shipped profile by its file's name, or one from a JSON file; the usual one for None."""
    if name is None:
        return default_printer()
    shipped = shipped_printers()
    if name in shipped:
        return shipped[name]
    try:
        return read_printer(Path(name).read_bytes())
    except OSError as error:
        known = ", ".join(shipped)
        raise BadPlan(f"There is no printer profile {name!r}; shipped are {known}.") from error


def _opened(arguments: argparse.Namespace) -> tuple[Opened, Plan]:
    """The file, and a plan with its size, and mending, as wished."""
    opened = open_file(arguments.file, fineness=arguments.fineness)
    arguments.complete = opened.model.complete
    plan = Plan(
        model=opened.model.ref, unit=arguments.unit or opened.model.unit or "mm", scale=arguments.scale,
        mirror=arguments.mirror,
    )  # fmt: skip
    if getattr(arguments, "mend", False):
        plan = plan.changed(mending=advised(opened.model.solid))
    return opened, plan.changed(stretch=tuple(arguments.stretch))


def _measure(arguments: argparse.Namespace) -> dict[str, object]:
    rotation = down_to_rotation(unit(arguments.down, "down direction"))
    printer = _printer(arguments.printer)
    opened, plan = _opened(arguments)
    solid, report = Workshop(opened.model, arguments.spread).mended(plan)
    found = measure(solid, rotation, threshold=arguments.theta, printer=printer, exposed=exposure(solid))
    seated = set_down(solid.vertices, rotation)
    within = fit(seated, printer)
    result = found.figures.as_dict() | {
        "triangles": report.triangles_after if arguments.mend else report.triangles_before,
        "unit": plan.unit, "fits": within.fits, "too_large_mm": within.over,
        "largest_scale": plan.scale * largest_scale(seated, printer),
    }  # fmt: skip
    if opened.model.unit is None and arguments.unit is None:
        result["likely_unit"] = likely_unit(float(opened.model.solid.size.max()))
    if opened.model.bodies:
        result["bodies"] = [body.name for body in opened.model.bodies]
    if arguments.wall is not None:
        walls = thickness(solid)
        result |= {"thinnest_wall_mm": thinnest(walls, solid.areas),
                   "thin_wall_area_mm2": float(solid.areas[walls < arguments.wall].sum())}  # fmt: skip
    if arguments.wearer is not None:
        result |= _wearer(arguments, solid, plan)
    if arguments.mend:
        result["mending"] = [step.sentence() for step in report.steps]
    problem = solid.defects.sentence()
    return result | ({"problem": problem} if problem else {})


def _wearer(arguments: argparse.Namespace, solid: Solid, plan: Plan) -> dict[str, object]:
    """Room around a wearer's form that is put where there is most of it."""
    name, measure_mm = arguments.wearer
    if name not in FORMS:
        raise BadPlan(f"There is no form {name!r}; there are {', '.join(FORMS)}.")
    form = FORMS[name]
    try:
        value = float(measure_mm)
    except ValueError as error:
        raise BadPlan(f"--wearer needs a measure in mm; got {measure_mm!r}.") from error
    if not form.least <= value <= form.most:
        raise BadPlan(f"The {form.measure} must be between {form.least:g} and {form.most:g} mm; got {value:g}.")
    middle = tuple((solid.bounds.mean(axis=0) / plan.factors).tolist())
    guest = Guest(id="g1", name=form.title, form=name, measure=value, place=middle, clearance=arguments.clearance)
    guest = guest.model_copy(update={"place": settled_place(solid, guest, plan.factors)})
    room = room_around(solid, guest, plan.factors)
    further = scale_with_clearance(solid, guest, plan.factors)
    return {
        "wearer": f"{form.title}, {form.measure} {value:g} mm", "wearer_clearance_mm": room.clearance,
        "wearer_poking_area_mm2": room.poking_area, "scale_with_clearance": plan.scale * further,
    }  # fmt: skip


def _tilt(arguments: argparse.Namespace) -> dict[str, object]:
    printer = _printer(arguments.printer)
    opened, plan = _opened(arguments)
    plan = plan.changed(threshold=arguments.theta, lift=arguments.lift)
    workshop = Workshop(opened.model, arguments.spread)
    subject = workshop.subject(plan, 0)
    exposed = workshop.exposed_piece(plan, 0)
    seats, _ = seats_worth_trying(subject, printer, PRESETS[printer.kind], exposed, spread=arguments.spread)
    spread = spread_directions(arguments.map) if arguments.map else np.empty((0, 3))
    directions = sweep(subject, spread, printer, spread=arguments.spread)
    result: dict[str, object] = {
        "seats": [
            {"down": seat.tilt.down, "kind": seat.kind} | seat.figures.as_dict() for seat in seats[: arguments.top]
        ]
    }
    if arguments.map:
        names = [field.name for field in fields(MapFigures)]
        result["map"] = [
            {name: np.asarray(getattr(directions, name)[n]).tolist() for name in names} for n in range(len(directions))
        ]
    problem = subject.solid.defects.sentence()
    return result | ({"problem": problem} if problem else {})


def _report(report: MendReport) -> dict[str, object]:
    return {
        "triangles_before": report.triangles_before, "triangles_after": report.triangles_after,
        "volume_before_mm3": report.volume_before, "volume_after_mm3": report.volume_after,
        "largest_distance_mm": report.deviation, "specks": report.specks, "largest_speck_mm": report.speck_size,
        "tangled_share": report.tangled, "steps": [step.sentence() for step in report.steps],
    }  # fmt: skip


def _mend(arguments: argparse.Namespace) -> dict[str, object]:
    opened, plan = _opened(arguments)
    fineness = None if arguments.rewrap is None else arguments.rewrap / float(np.abs(plan.factors).max())
    if arguments.thin is not None and arguments.thin < 100:
        raise BadPlan(f"--thin must leave at least 100 triangles; got {arguments.thin}.")
    mending = Mending(
        clean=True, orient=True, close=arguments.rewrap is None, drop_specks=arguments.drop_specks, rewrap=fineness,
        thin_to=arguments.thin,
    )  # fmt: skip
    solid, report = Workshop(opened.model, arguments.spread).mended(plan.changed(mending=mending))
    write_solid(solid, opened.model.name, arguments.out, replace=arguments.replace)
    problem = solid.defects.sentence()
    return _report(report) | {"closed": not problem} | ({"problem": problem} if problem else {})


def _recipe(arguments: argparse.Namespace) -> Recipe:
    cuts = tuple(
        StraightCut(id=f"s{n}", name=f"Cut {n}", normal=tuple(unit(values[:3], "cut normal")), offset=values[3])
        for n, values in enumerate(arguments.straight, 1)
    )
    if arguments.recipe is None:
        if not cuts:
            raise BadPlan("Say where to cut: --straight or --recipe.")
        return _recipe_of(cuts)
    try:
        read = read_recipe(arguments.recipe.read_bytes())
    except OSError as error:
        raise BadPlan(f"The recipe {arguments.recipe} cannot be read ({error.strerror}).") from error
    return _recipe_of((*read.cuts, *cuts), read.pieces)


def _recipe_of(cuts: tuple[Cut, ...], pieces: tuple[PieceWish, ...] = ()) -> Recipe:
    if len(cuts) > MOST_CUTS:
        raise BadPlan(f"A recipe has at most {MOST_CUTS} cuts; this one has {len(cuts)}.")
    return Recipe(cuts=cuts, pieces=pieces)


def _cut(arguments: argparse.Namespace) -> dict[str, object]:
    recipe = _recipe(arguments)
    printer = _printer(arguments.printer)
    opened, plan = _opened(arguments)
    plan = plan.changed(threshold=arguments.theta, recipe=recipe.cuts, pieces=recipe.pieces)
    outcome = Workshop(opened.model, arguments.spread).evaluate(plan, printer)
    for cut in recipe.cuts:
        if cut.on and not outcome.cuts[cut.id].parts:
            raise CutFailed(
                f"“{cut.name}” {'parts nothing within its reach' if cut.reach else 'misses the model'}.",
                kept="Nothing was written.",
            )
    pieces = outcome.pieces
    together = arguments.out / "pieces.3mf"
    refuse_existing([together], replace=arguments.replace)
    how = {"equal_once": arguments.equal_once, "replace": arguments.replace}
    write_stls(pieces, arguments.out, **how)
    write_3mf(pieces, printer, opened.model.name, together, **how)
    firsts = first_equals(pieces)

    def written(n: int) -> dict[str, object]:
        first = firsts[n]
        name = file_name(pieces[first], firsts.count(first)) if arguments.equal_once else file_name(pieces[n])
        return {"file": name, "same_as": pieces[first].name if first != n else None}

    return {
        "pieces": [written(n) | _piece_figures(piece) for n, piece in enumerate(pieces)],
        "cuts": [_cut_figures(cut, outcome) for cut in recipe.cuts if cut.on],
        "notes": list(outcome.notes),
        "volume_before_mm3": outcome.volume_before_mm3,
        "kerf_volume_mm3": outcome.kerf_mm3,
        "set_aside_mm3": outcome.set_aside_mm3,
        "support_volume_mm3": outcome.totals.support_volume_mm3,
        "seam_length_mm": outcome.totals.seam_length_mm,
        "seam_on_show_mm": outcome.totals.seam_on_show_mm,
        "cut_area_mm2": outcome.totals.cut_area_mm2,
    }


def _piece_figures(piece: Piece) -> dict[str, object]:
    return {
        "name": piece.name, "down": piece.seat.down, "fits": piece.fit.fits, "seat": piece.seat_kind
    } | piece.figures.as_dict()  # fmt: skip


def _cut_figures(cut: Cut, outcome: Outcome) -> dict[str, object]:
    seam, report = outcome.seams[cut.id], outcome.cuts[cut.id]
    return {
        "name": cut.name, "kind": cut.kind, "seam_length_mm": seam.length, "seam_in_sight_mm": seam.in_sight,
        "seam_on_show_mm": seam.on_show, "cut_area_mm2": seam.cut_area, "kerf_volume_mm3": report.kerf,
        "set_aside_mm3": report.set_aside, "crumbs": len(report.crumbs),
    }  # fmt: skip


def _sweep(arguments: argparse.Namespace) -> dict[str, object]:
    normal = unit(arguments.normal, "cut normal")
    printer = _printer(arguments.printer)
    opened, plan = _opened(arguments)
    workshop = Workshop(opened.model, arguments.spread)
    subject = cut_subject(workshop, plan.changed(threshold=arguments.theta), 0, printer)
    found = swept(subject, normal, spread=arguments.spread, places=arguments.places)
    places = [
        {"offset": float(found.offsets[k]), "support_volume_mm3": float(found.support[k]),
         "seam_in_sight_mm": float(found.sight[k]), "cut_area_mm2": float(found.area[k]),
         "longest_side_mm": float(found.largest[k]), "fits": bool(found.fits[k])}
        for k in range(len(found.offsets))
    ]  # fmt: skip
    return {"normal": normal.tolist(), "valleys": [float(found.offsets[k]) for k in found.valleys], "places": places}


def _propose(arguments: argparse.Namespace) -> dict[str, object]:
    printer = _printer(arguments.printer)
    opened, plan = _opened(arguments)
    plan = plan.changed(threshold=arguments.theta)
    workshop = Workshop(opened.model, arguments.spread)
    wishes = CutWishes(pieces=arguments.pieces, exactly=True, seam_limit=arguments.seam_limit)
    plans = proposed_plans(workshop, plan, printer, wishes, spread=arguments.spread)
    found = []
    for plan_ in plans[: arguments.top]:
        outcome = workshop.evaluate(plan_, printer)
        recipe = Recipe(cuts=plan_.recipe, pieces=plan_.pieces)
        pieces = [_piece_figures(piece) for piece in outcome.pieces]
        totals = outcome.totals
        found.append({
            "recipe": json.loads(recipe.model_dump_json()), "support_volume_mm3": totals.support_volume_mm3,
            "overhang_area_mm2": totals.overhang_area_mm2, "seam_in_sight_mm": totals.seam_in_sight_mm,
            "seam_length_mm": totals.seam_length_mm, "cut_area_mm2": totals.cut_area_mm2, "pieces": pieces,
        })  # fmt: skip
    found.sort(key=lambda one: one["support_volume_mm3"])
    whole = workshop.evaluate(plan, printer)
    return {"support_volume_before_mm3": whole.totals.support_volume_mm3, "proposals": found}


def _lines(result: dict[str, object], indent: str = "") -> list[str]:
    lines = []
    for name, value in result.items():
        if name in ("pieces", "seats", "map") and isinstance(value, list):
            for number, one in enumerate(value, 1):
                title = one.get("name", number)
                lines += [
                    f"{indent}{'direction' if name == 'map' else name[:-1]} {title}:",
                    *_lines(one, indent + "  "),
                ]
        elif isinstance(value, list):
            lines += [f"{indent}{name}:", *(f"{indent}  {entry}" for entry in value)]
        elif isinstance(value, float):
            lines.append(f"{indent}{name}: {value:.3f}")
        elif isinstance(value, tuple):
            lines.append(f"{indent}{name}: " + " ".join(f"{part:.3f}" for part in value))
        else:
            lines.append(f"{indent}{name}: {value}")
    return lines


def _plain(word: str) -> str:
    """A negative number with an exponent written out: the argument parser would take "-1e-3" for an option."""
    if not word.startswith("-") or "e" not in word.lower():
        return word
    try:
        return f"{float(word):.17f}"
    except ValueError:
        return word


def _plainly(value: object) -> object:
    """The same with None in place of numbers that are none: JSON has no word for them."""
    if isinstance(value, dict):
        return {name: _plainly(one) for name, one in value.items()}
    if isinstance(value, (list, tuple)):
        return [_plainly(one) for one in value]
    return None if isinstance(value, float) and not math.isfinite(value) else value


_INCOMPLETE = 3
"""Exit code where a file ended in the middle: what could be read of it was worked on."""


def run(arguments: list[str]) -> int:
    """Exit code 0 only on success; else one line on stderr and 1, for arguments that make no sense 2, for a file that
    was cut short 3, and as usual for a closed pipe 141."""
    logbook.begin()
    for stream in (sys.stdout, sys.stderr):  # file names need not be text
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    parsed = _parser().parse_args([_plain(word) for word in arguments])
    try:
        return _ran(parsed)
    except DeftError as error:
        print(f"deft-slab: {error}", file=sys.stderr)
    except BrokenPipeError:
        # whoever read has had enough; what is left in the buffer has nowhere to go
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 141
    except MemoryError:
        print("deft-slab: There is not enough memory for this.", file=sys.stderr)
    except Exception as error:  # noqa: BLE001 - the border of the program: people get a sentence, the log the rest
        _log.exception("%s failed", parsed.command)
        said = f"Something went wrong inside ({type(error).__name__}: {error}). {logbook.hint()}"
        print(f"deft-slab: {said.strip()}", file=sys.stderr)
    return 1


def _ran(parsed: argparse.Namespace) -> int:
    does = {
        "measure": _measure, "mend": _mend, "tilt": _tilt, "cut": _cut, "sweep": _sweep, "propose": _propose,
    }  # fmt: skip
    _checked(parsed)
    pool = ThreadPoolExecutor(os.cpu_count() or 1)
    try:
        parsed.spread, parsed.complete = pool.map, True
        result = does[parsed.command](parsed) | {"complete": parsed.complete}
    finally:
        pool.shutdown(cancel_futures=True)
    if parsed.json:
        print(json.dumps(_plainly(result), indent=1, allow_nan=False))
    else:
        print("\n".join(_lines(result)))
    sys.stdout.flush()
    if not parsed.complete:
        print(f"deft-slab: “{shown(parsed.file)}” was cut short; only what is there of it was worked on.",
              file=sys.stderr)  # fmt: skip
        return _INCOMPLETE
    return 0
