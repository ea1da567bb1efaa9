"""Hands off: writes pieces and beds as files, each read again before it is written, and a list of all of them."""

from __future__ import annotations

import contextlib
import json
import math
import tempfile
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

import numpy as np
import shapely

from ..arrays import Floats
from ..errors import BadPlan, SaveFailed
from ..formats import WRITTEN
from ..locale.translate import tr
from ..printers.profile import Printer
from ..progress import QUIET, Job
from ..results.outcome import Piece
from .csv_tables import as_csv
from .equal_pieces import each_once
from .file_grid import two_sided
from .layout import Laid, bed_printer
from .naming import named, unit_said
from .options import LAYERS, SHEET, Handed, Wished
from .piece_files import centred, together_bytes
from .print_job import PrintJob
from .safe_writing import make_folder, refuse_existing, write_each, write_whole
from .shrinkage import as_printed
from .surface_files import surface_bytes
from .verification import verified

if TYPE_CHECKING:
    from .sheet.build import BenchSheet


_THUMBNAIL = 320
"""Pixels across."""


def deliver(
    pieces: Sequence[Piece], laid: Sequence[Laid], printer: Printer, title: str, folder: Path, wished: Wished,
    work: PrintJob, job: Job = QUIET, *, sheet: Callable[[Job], BenchSheet] | None = None, replace: bool = False,
) -> list[Handed]:
    """Write what is wanted into a folder, with "job.json" and "pieces.csv", which list it. Every file is made and
    read again (closed, volume, place) before the first one is written.

    Parameters
    ----------
    pieces : Sequence[Piece]
        The pieces at their own size. They are enlarged by the shrinkage of the material, except where they are
        written assembled.
    laid : Sequence[Laid]
        See ``lay_out``.
    wished : Wished
        What to write.
    work : PrintJob
        What goes into the list.
    sheet : Callable[[Job], BenchSheet] | None
        Makes the bench sheet, if one is wanted.
    replace : bool
        Whether existing files may be replaced.

    Raises
    ------
    BadPlan
        A format or a pattern makes no sense, or two files would have the same name.
    WouldReplace
        Some files exist and may not be replaced; nothing was written.
    SaveFailed
        A file does not read back correctly, or cannot be written.
    Cancelled
        The job is no longer wanted; nothing was written.
    """
    names, printed = _planned(pieces, laid, printer, folder, wished), as_printed(pieces, printer)
    paths = [path for path, *_ in names]
    beside = ["job.json", "pieces.csv", *(SHEET if sheet is not None else ())]
    refuse_existing([*paths, *(folder / name for name in beside)], replace=replace)
    files, paper = (job.part(0.0, 0.5), job.part(0.5, 0.95)) if sheet is not None else (job, job)
    with contextlib.ExitStack() as aside:
        ready: list[tuple[Handed, bytes | IO[bytes]]] = []
        for done, (path, ending, piece, bed, count) in enumerate(names):
            step = files.part(done / len(names), (done + 1) / len(names))
            step.step(0.0, tr("Making {name}", name=path.name))
            own = [one for one in laid if one.bed == bed]
            on = printer if bed is None else bed_printer(pieces, laid, bed, printer)
            if ending in LAYERS:
                ready.append(_layers(printed, own, path, ending, title, on, aside, step))
                continue
            content, wanted = _bed(printed, own, ending, title, on) if piece is None else _piece(
                (pieces if wished.assembled else printed)[piece], ending, title, printer, wished
            )
            triangles, volume, size = verified(content, ending, wanted, path.name)
            ready.append((Handed(path, piece, bed, count, triangles, volume, size), content))
        pages = sheet(paper) if sheet is not None else None
        job.step(0.95, tr("Saving the files"))
        make_folder(folder)
        handed = [one for one, _ in ready]
        listed = _as_json(pieces, laid, handed, work, title, printer)
        contents = [listed.encode(), _as_csv(pieces, laid, printer).encode()]
        contents += [pages.pdf, pages.html] if pages is not None else []
        files_beside = zip((folder / name for name in beside), contents, strict=True)
        write_each([*((one.path, content) for one, content in ready), *files_beside], replace=replace)
        return handed


def write_bed(
    pieces: Sequence[Piece], laid: Sequence[Laid], bed: int, printer: Printer, title: str, path: Path,
    job: Job = QUIET, *, layers: bool = False,
) -> None:
    """Write one bed, replacing whatever is at that path. It is read again before it is saved.

    Parameters
    ----------
    bed : int
        The number of the bed, from 0 on.
    layers : bool
        Whether to write pictures of its layers in a ZIP rather than bodies in a 3MF.

    Raises
    ------
    BadPlan
        There is no such bed.
    SaveFailed, OpenSurface, Cancelled
        As ``deliver``.
    """
    own = [one for one in laid if one.bed == bed]
    if not own:
        raise BadPlan(tr("There is no bed {bed}.", bed=bed + 1))
    pieces, printer = as_printed(pieces, printer), bed_printer(pieces, laid, bed, printer)
    with contextlib.ExitStack() as aside:
        content: bytes | IO[bytes]
        if layers:
            _, content = _layers(pieces, own, path, LAYERS[0], title, printer, aside, job)
        else:
            job.step(0.0, tr("Writing bed {bed}", bed=bed + 1))
            content, wanted = _bed(pieces, own, "3mf", title, printer)
            verified(content, "3mf", wanted, path.name)
        write_whole(path, content)


def _planned(
    pieces: Sequence[Piece], laid: Sequence[Laid], printer: Printer, folder: Path, wished: Wished
) -> list[tuple[Path, str, int | None, int | None, int]]:
    """Path, ending, piece, bed and count of each file."""
    for ending in (*wished.pieces, *wished.beds):
        if ending not in WRITTEN:
            raise BadPlan(
                tr("The format “.{ending}” cannot be "
                   "written.", ending=ending), remedy=tr("Use {list}.", list=", ".join(WRITTEN))
            )
    beds = sorted({one.bed for one in laid})
    resin = {bed for bed in beds if bed_printer(pieces, laid, bed, printer).kind == "resin"}
    if wished.layers and not resin:
        raise BadPlan(
            tr("A filament printer prints paths and cannot use pictures of layers."), remedy=tr("Leave them out.")
        )
    counted = each_once(pieces) if wished.equal_once else [(piece, 1) for piece in pieces]
    found: list[tuple[Path, str, int | None, int | None, int]] = []
    for piece, equal in counted:
        number = next(n for n, one in enumerate(pieces) if one is piece)
        count = equal * sum(one.piece == number for one in laid)
        for ending in wished.pieces:
            name = named(wished.pattern, piece, count, laid[number].bed, ending)
            found.append((folder / f"{name}.{ending}", ending, number, None, count))
    for bed in beds:
        count = sum(one.bed == bed for one in laid)
        for ending in (*wished.beds, *(LAYERS if wished.layers and bed in resin else ())):
            dot = "-" if ending in LAYERS else "."
            found.append((folder / f"bed-{bed + 1}{unit_said(ending)}{dot}{ending}", ending, None, bed, count))
    names = [path.name.lower() for path, *_ in found]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise BadPlan(
            tr("Two files would be called “{twice}”.", twice=twice),
            remedy=tr("Include {number} in the pattern of the names."),
        )
    return found


_Made = tuple[bytes, list[tuple[Floats, float | None]]]
"""(content of a file, of each surface in it its corners (n, 3) mm and its volume in mm3, None where it is open)."""


def _piece(piece: Piece, ending: str, title: str, printer: Printer, wished: Wished) -> _Made:
    """A piece as a file: in its seat, over the origin, or where it belongs."""
    own, triangles = two_sided(piece.solid)
    rotation = np.eye(3) if wished.assembled else piece.seat.rotation
    corners = own if wished.assembled else centred(own, rotation, piece.lift)
    volume = piece.solid.volume if piece.solid.closed else None
    if ending != "3mf":
        content = surface_bytes(corners, triangles, ending, "Deft Slab piece, millimetres", closed=piece.solid.closed)
        return content, [(corners, volume)]
    where = _at(rotation, corners[0] - own[0] @ rotation.T)
    lifted = replace(piece, lift=float(corners[:, 2].min()))
    content = together_bytes([lifted], [where], printer, f"{title}: {piece.name}", {})
    return content, [(corners, volume)]


def _bed(
    pieces: Sequence[Piece], own: Sequence[Laid], ending: str, title: str, printer: Printer
) -> _Made:
    """All pieces of a bed, where they lie on it."""
    on_it = [pieces[one.piece] for one in own]
    places = [_at(one.rotation, one.shift - [one.bed_x, 0.0, 0.0], k) for k, one in enumerate(own)]
    surfaces = [two_sided(piece.solid) for piece in on_it]
    placed = [place.placed(corners) for place, (corners, _) in zip(places, surfaces, strict=True)]
    volumes = [piece.solid.volume if piece.solid.closed else None for piece in on_it]
    wanted = list(zip(placed, volumes, strict=True))
    if ending == "3mf":
        bed = own[0].bed + 1
        about = {
            "Description": tr(
                "Bed {bed}: {count} pieces for {name}, {label}",
                bed=bed,
                count=len(own),
                name=printer.name,
                label=printer.label,
            )
        }
        picture = _thumbnail(on_it, places)
        return together_bytes(
            on_it, places, printer, tr("{title}, bed {bed}", title=title, bed=bed), about, picture=picture
        ), wanted
    starts = np.cumsum([0, *(len(corners) for corners in placed)])
    triangles = np.concatenate([faces + start for (_, faces), start in zip(surfaces, starts[:-1], strict=True)])
    closed = all(piece.solid.closed for piece in on_it)
    content = surface_bytes(np.concatenate(placed), triangles, ending, "Deft Slab bed, millimetres", closed=closed)
    total = sum(volume or 0.0 for volume in volumes) if closed else None
    return content, [(np.concatenate(placed), total)]


def _thumbnail(pieces: Sequence[Piece], places: Sequence[Laid]) -> bytes:
    """A picture of pieces where they lie, as a PNG."""
    from .sheet.drawing import DrawnBody, drawn, view_from  # slow to load, and the window knows this module

    bodies = [
        DrawnBody(place.placed(piece.solid.vertices), piece.solid.triangles, hatched=piece.solid.origin < 0)
        for piece, place in zip(pieces, places, strict=True)
    ]
    return drawn(bodies, view_from(35.0, 35.0), _THUMBNAIL, _THUMBNAIL).png


def _layers(
    pieces: Sequence[Piece], own: Sequence[Laid], path: Path, ending: str, title: str, printer: Printer,
    aside: contextlib.ExitStack, job: Job,
) -> tuple[Handed, bytes | IO[bytes]]:
    """The layers of a bed, read again.

    Parameters
    ----------
    aside : contextlib.ExitStack
        Closes temporary files once they have been saved.
    """
    from .slices.images import write_layers  # only who wants layers waits for what draws them
    from .slices.layers import stack_of
    from .slices.polygons import sliced_bytes

    stack = stack_of(pieces, own, printer)
    bed, names = own[0].bed, [pieces[one.piece].name for one in own]
    content: bytes | IO[bytes]
    if ending == LAYERS[0]:
        try:
            content = aside.enter_context(tempfile.TemporaryFile())  # noqa: SIM115 - the stack closes it
            areas = write_layers(stack, printer, tr("{title}, bed {bed}", title=title, bed=bed + 1), content, job)
        except OSError as error:
            raise SaveFailed(
                tr("The layers could not be stored temporarily: {value}.", value=error.strerror or error),
                kept=tr("Nothing was saved."),
                remedy=tr("Free some space."),
            ) from error
        volume = math.fsum(areas) * printer.layer_height
    else:
        about = tr(
            "Bed {bed}: {count} pieces for {name}, {label}",
            bed=bed + 1,
            count=len(own),
            name=printer.name,
            label=printer.label,
        )
        content = sliced_bytes(stack, names, tr("{title}, bed {bed}", title=title, bed=bed + 1), about, job)
        volume = math.fsum(pieces[one.piece].solid.volume for one in own)
    x0, y0 = np.min([one.outline.bounds[:2] for one in own], axis=0)
    x1, y1 = np.max([one.outline.bounds[2:] for one in own], axis=0)
    triangles = sum(len(one.triangles) for one in stack.slicers)
    size = (float(x1 - x0), float(y1 - y0), stack.levels.height)
    return Handed(path, None, bed, len(own), triangles, volume, size), content


def _at(rotation: Floats, shift: Floats, piece: int = 0) -> Laid:
    """A place that is on no bed.

    Parameters
    ----------
    piece : int
        The number of the piece among those that are written.
    """
    return Laid(rotation, shift, 0, 0.0, 0.0, shapely.MultiPolygon(), 0, piece, 0)


def _as_json(
    pieces: Sequence[Piece], laid: Sequence[Laid], handed: Sequence[Handed], work: PrintJob, title: str,
    printer: Printer,
) -> str:
    files = [
        {"file": one.path.name, "piece": None if one.piece is None else pieces[one.piece].name,
         "bed": None if one.bed is None else one.bed + 1, "count": one.count, "triangles": one.triangles,
         "volume_mm3": round(one.volume, 3), "size_mm": [round(value, 4) for value in one.size]}
        for one in handed
    ]
    listed = {"title": title, "printer": printer.name, "unit": "mm", "files": files} | as_json(pieces, laid, work)
    return json.dumps(listed, indent=1, ensure_ascii=False) + "\n"


def as_json(pieces: Sequence[Piece], laid: Sequence[Laid], work: PrintJob) -> dict[str, Any]:
    """Beds and job as they are listed. ``at`` is the middle of the footprint's bounding box, in mm on the bed."""
    beds = []
    for bed in work.beds:
        on_it = []
        for n in bed.pieces:
            piece, (x0, y0, x1, y1) = pieces[laid[n].piece], laid[n].outline.bounds
            on_it.append({"name": piece.name, "number": piece.number, "copy": laid[n].copy + 1,
                          "at": [round((x0 + x1) / 2, 4), round((y0 + y1) / 2, 4)],
                          "turn_deg": round(laid[n].turn, 4)})
        beds.append({"bed": bed.bed + 1, "printer": bed.printer.name, "material": bed.printer.loads[0],
                     "hours": bed.seconds / 3600, "material_g": bed.material, "cost": bed.cost,
                     "pieces": on_it})
    return {
        "beds": beds, "least_beds": work.least, "materials_g": work.materials,
        "job": {"hours": work.seconds / 3600, "elapsed_hours": work.elapsed / 3600, "material_g": work.material,
                "cost": work.cost, "beds": len(work.beds),
                "contacts": work.contacts, "glue_mm2": work.glue, "longest_piece_hours": work.longest / 3600},
    }


def _as_csv(pieces: Sequence[Piece], laid: Sequence[Laid], printer: Printer) -> str:
    rows: list[Sequence[object]] = [
        ["piece", "name", "copy", "bed", "x mm", "y mm", "turn deg", "width mm", "depth mm", "height mm", "material",
         "material g", "hours", "printer"],
    ]
    for one in laid:
        piece, (x0, y0, x1, y1) = pieces[one.piece], one.outline.bounds
        on = piece.on(printer)
        rows.append([
            piece.number, piece.name, one.copy + 1, one.bed + 1, f"{(x0 + x1) / 2:.3f}",
            f"{(y0 + y1) / 2:.3f}", f"{one.turn:.2f}", f"{x1 - x0:.3f}", f"{y1 - y0:.3f}",
            f"{piece.figures.height_mm:.3f}", on.loads[0], f"{piece.figures.material_g:.2f}",
            f"{piece.figures.print_seconds / 3600:.3f}", on.name,
        ])
    return as_csv(rows)
