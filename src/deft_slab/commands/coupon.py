"""Writes a coupon, and a profile with the clearance that fitted best on it."""

from __future__ import annotations

import argparse
import datetime

from ..core.exporting.piece_files import write_solid
from ..core.exporting.safe_writing import refuse_existing, write_whole
from ..core.joining.coupon import coupon, usual_steps
from ..core.joins import DowelJoin, Join, KeyJoin
from ..core.locale.translate import tr
from .arguments import BadArgument, printer_of


def run(arguments: argparse.Namespace) -> dict[str, object]:
    printer = printer_of(arguments.printer)
    if arguments.fitted is not None:
        if arguments.out.suffix.lower() != ".json":
            raise BadArgument(tr("A profile is written as JSON, so give --out a name that ends in .json."))
        kept = printer.fitted_at(arguments.fitted, datetime.date.today().isoformat(), arguments.material)
        refuse_existing([arguments.out], replace=arguments.replace)
        write_whole(arguments.out, kept.model_dump_json(indent=2).encode() + b"\n", replace=arguments.replace)
        return {"file": str(arguments.out), "clearance_mm": kept.clearance, "fitted": kept.fitted}
    where = {"id": "coupon", "cut": "coupon", "between": (-1, 1), "at": (0.0, 0.0, 0.0)}
    join: Join
    if arguments.rod is not None:
        join = DowelJoin.model_validate({**where, "diameter": arguments.rod})
    else:
        join = KeyJoin.model_validate({**where, "width": arguments.key, "height": 0.6 * arguments.key})
    steps = tuple(arguments.clearances or usual_steps(printer))
    solid = coupon(join, printer, steps)
    write_solid(solid, "Coupon", arguments.out, replace=arguments.replace)
    return {
        "file": str(arguments.out), "kind": join.kind, "clearances_mm": list(steps), "volume_mm3": solid.volume,
        "size_mm": [float(value) for value in solid.size], "measures": join.sentence(),
    }
