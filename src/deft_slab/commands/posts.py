"""Proposes support posts for the pieces of a plan, and writes the pieces with and without them."""

from __future__ import annotations

import argparse

import numpy as np

from ..core.document.marks import SHOW
from ..core.evaluate.evaluator import Evaluator
from ..core.exporting.piece_files import file_name, write_solid
from ..core.exporting.safe_writing import make_folder, refuse_existing
from ..core.figures.marked_facets import facets_at
from ..core.plan.supports import SLENDER_DIAMETERS
from ..core.printers.profile import Printer
from ..core.progress import QUIET, Job
from ..core.results.outcome import Piece
from ..core.supports.bodies import plate
from ..core.supports.piece_posts import ground_of, proposed_for
from ..core.supports.placement import PostPlacement, bodies_of, in_one
from ..core.supports.routes import Measures, Obstacle
from .arguments import opened_file, printer_of
from .recipes import with_recipe


def run(arguments: argparse.Namespace) -> dict[str, object]:
    printer = printer_of(arguments.printer)
    opened, plan = opened_file(arguments)
    evaluator = Evaluator(opened.model, arguments.spread)
    plan = with_recipe(arguments, plan, evaluator, printer).changed(lift=arguments.lift)
    pieces = evaluator.evaluate(plan, printer, arguments.job, detail="figures").pieces
    measures = Measures(tip=arguments.tip, stem=arguments.stem)
    names = [(file_name(piece), file_name(piece).replace(".stl", "-with-posts.stl")) for piece in pieces]
    refuse_existing([arguments.out / name for both in names for name in both], replace=arguments.replace)
    make_folder(arguments.out)
    found = []
    for piece, (bare, whole) in zip(pieces, names, strict=True):
        ground, standing = posts_of(piece, printer, measures, arguments.layer, arguments.job)
        under = plate(standing.routes, measures, arguments.plate) if arguments.plate > 0 else None
        together, posts = in_one(ground, bodies_of(standing, measures), under)
        write_solid(ground.solid_on_bed, piece.name, arguments.out / bare, replace=arguments.replace)
        write_solid(together, piece.name, arguments.out / whole, replace=arguments.replace)
        found.append({"name": piece.name, "file": bare, "with_posts": whole, "posts_volume_mm3": posts.volume,
                      **_told(piece, standing, measures)})
    return {"pieces": found}


def posts_of(
    piece: Piece, printer: Printer, measures: Measures, layer: float | None, job: Job = QUIET
) -> tuple[Obstacle, PostPlacement]:
    """How a piece sits, and its posts.

    Raises
    ------
    Cancelled
        The job was cancelled.
    """
    ground = ground_of(piece)
    nothing = np.empty((0, 3))
    standing = proposed_for(piece, ground, (nothing, nothing), layer or printer.layer_height, printer.least_island,
                            measures, job)
    return ground, standing


def _told(piece: Piece, standing: PostPlacement, measures: Measures) -> dict[str, object]:
    """The report on the posts of a piece. ``at`` is on the model; ``show`` says whether the post leaves its mark on
    a show face.
    """
    routes, lengths = standing.routes, standing.routes.lengths
    facets = facets_at(piece.solid, standing.points) if len(standing.points) else np.empty(0, np.int64)
    show = (piece.marks[facets] & SHOW) > 0
    made = standing.made
    on_piece = routes.lands == "piece"
    return {
        "posts": [
            {"at": standing.points[n].tolist(), "lands": str(routes.lands[n]), "length_mm": float(lengths[n]),
             "leans": bool(routes.leans[n]),
             "island": bool(standing.for_island[n]), "show": bool(show[n]),
             "at_risk": bool(routes.wall[n] < 2 * measures.tip)}
            for n in range(len(made)) if made[n]
        ],
        "no_way": [standing.points[n].tolist() for n in np.flatnonzero(~made)],
        "unheld": standing.unheld.tolist(),
        "braces": len(standing.braces),
        "slender": int(((lengths > SLENDER_DIAMETERS * measures.stem) & made).sum()),
        "on_piece": int(on_piece.sum()),
        "contact_mm2": measures.contact * float(made.sum() + on_piece.sum()),
        "contact_on_show_mm2": measures.contact * float((made & show).sum()),
    }
