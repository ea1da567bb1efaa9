"""What deft-slab does without a window: measure, cut. Loads neither Qt nor VTK."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path

from .core.errors import BadPlan, CutFailed, DeftError
from .core.handoff.pieces import file_name, write_3mf, write_stls
from .core.intake.files import Opened, open_file
from .core.judge.exposure import exposure
from .core.judge.figures import measure
from .core.judge.tilts import down_to_rotation, unit
from .core.outcome import Model
from .core.plan import UNITS, Plan, StraightCut
from .core.printer import default_printer
from .core.solid import Solid
from .core.workshop import evaluate, one_skin


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="deft-slab", description="Tilt and cut props so that they print clean.")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")

    def common(command: argparse.ArgumentParser) -> None:
        command.add_argument("file", type=Path, metavar="FILE")
        command.add_argument("--unit", choices=list(UNITS),
                             help="what one unit of the file is (default: as stated in it, else mm)")  # fmt: skip
        command.add_argument("--scale", type=float, default=1.0, metavar="S", help="factor on top of the unit")
        command.add_argument("--theta", type=float, default=45.0, metavar="DEG",
                             help="overhang angle past which support is needed, from the vertical (45)")  # fmt: skip
        command.add_argument("--json", action="store_true", help="print JSON")

    figures = commands.add_parser("measure", help="figures of a model in one tilt")
    common(figures)
    figures.add_argument("--down", type=float, nargs=3, default=(0.0, 0.0, -1.0), metavar=("X", "Y", "Z"),
                         help="direction of the model frame that points to the bed; any length")  # fmt: skip
    cut = commands.add_parser("cut", help="part a model by straight cuts and write the pieces")
    common(cut)
    cut.add_argument("--straight", type=float, nargs=4, action="append", required=True,
                     metavar=("NX", "NY", "NZ", "OFFSET"),
                     help="points p with n.p = OFFSET (mm), n made length 1; may be repeated")  # fmt: skip
    cut.add_argument("--out", type=Path, required=True, metavar="DIR")
    return parser


def _opened(arguments: argparse.Namespace) -> tuple[Opened, str]:
    opened = open_file(arguments.file)
    return opened, arguments.unit or opened.surface.unit or "mm"


def _checked(arguments: argparse.Namespace) -> None:
    if not 0 < arguments.scale <= 1e6:
        raise BadPlan(f"--scale must be above 0; got {arguments.scale:g}.")
    if not 0 <= arguments.theta <= 89:
        raise BadPlan(f"--theta must be between 0 and 89 degrees; got {arguments.theta:g}.")


def _measure(arguments: argparse.Namespace) -> dict[str, object]:
    rotation = down_to_rotation(unit(arguments.down, "down direction"))
    opened, unit_name = _opened(arguments)
    source = Solid(opened.surface.vertices, opened.surface.triangles)
    solid = one_skin(source).scaled(UNITS[unit_name] * arguments.scale)
    found = measure(solid, rotation, threshold=arguments.theta, exposed=exposure(solid))
    problem = solid.defects.sentence()
    figures = found.figures.as_dict() | {"triangles": len(source.triangles)}
    return figures | ({"problem": problem} if problem else {})


def _cut(arguments: argparse.Namespace) -> dict[str, object]:
    cuts = tuple(
        StraightCut(id=f"c{n}", name=f"Cut {n}", normal=tuple(unit(values[:3], "cut normal")), offset=values[3])
        for n, values in enumerate(arguments.straight, 1)
    )
    opened, unit_name = _opened(arguments)
    model = Model(opened.name, Solid(opened.surface.vertices, opened.surface.triangles), opened.surface.grid, unit_name)
    plan = Plan(
        model=model.ref, unit=unit_name, scale=arguments.scale,
        threshold=arguments.theta, recipe=cuts,
    )  # fmt: skip
    printer = default_printer()
    outcome = evaluate(model, plan, printer)
    for cut in cuts:
        if outcome.seams[cut.id].cut_area <= 0:
            raise CutFailed(f"“{cut.name}” misses the model.", kept="Nothing was written.")
    write_stls(outcome.pieces, arguments.out)
    write_3mf(outcome.pieces, printer, model.name, arguments.out / "pieces.3mf")
    pieces = [
        {"name": piece.name, "file": file_name(piece), "down": piece.seat.down, "fits": piece.fit.fits}
        | piece.figures.as_dict()
        for piece in outcome.pieces
    ]
    return {
        "pieces": pieces,
        "support_volume_mm3": outcome.totals.support_volume_mm3,
        "seam_length_mm": outcome.totals.seam_length_mm,
        "cut_area_mm2": outcome.totals.cut_area_mm2,
    }


def _lines(result: dict[str, object], indent: str = "") -> list[str]:
    lines = []
    for name, value in result.items():
        if name == "pieces" and isinstance(value, list):
            for piece in value:
                lines += [f"{indent}piece {piece['name']}:", *_lines(piece, indent + "  ")]
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


def run(arguments: list[str]) -> int:
    """Exit code 0 only on success; else one line on stderr."""
    parsed = _parser().parse_args([_plain(word) for word in arguments])
    try:
        _checked(parsed)
        result = {"measure": _measure, "cut": _cut}[parsed.command](parsed)
    except DeftError as error:
        print(f"deft-slab: {error}", file=sys.stderr)
        return 1
    print(json.dumps(result, indent=1, allow_nan=False) if parsed.json else "\n".join(_lines(result)))
    return 0
