"""Results as short tables for a person, in the chosen language, units and number format. The output of --json has
all figures.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

from ..core.locale import text
from ..core.locale.translate import sentence, term, tr

Result: TypeAlias = Mapping[str, Any]

WORDS = {
    "area_mm2": term("area"), "at": term("at"), "base_area_mm2": term("base area"), "base_kept": term("base kept"),
    "bed": term("bed"), "beds": term("beds"), "braces": term("braces"), "clearance_mm": term("clearance"),
    "clearances_mm": term("clearances"), "closed": term("closed"), "contact_mm2": term("contact area"),
    "contact_on_show_mm2": term("contact on show faces"), "cost": term("cost"), "cut": term("cut"),
    "cut_area_mm2": term("cut area"), "done": term("done"), "down": term("down"), "elapsed_hours": term("ready after"),
    "equal_pieces": term("equal pieces"), "failed": term("failed"), "file": term("file"), "fit": term("all fit"),
    "fits": term("fits"), "fitted": term("fitted"), "folder": term("folder"), "glue_mm2": term("area to glue"),
    "grams": term("material"), "grooves": term("grooves"), "hollow": term("hollow"), "hours": term("print time"),
    "id": term("number"), "islands": term("islands"), "joins": term("joins"),
    "joins_volume_mm3": term("volume of joins"), "jumps": term("jumps"), "keeps": term("keeps its jobs in"),
    "kept": term("done before"), "kerf_volume_mm3": term("kerf"), "kind": term("kind"),
    "largest_distance_mm": term("distance from the old surface, including "
                                "holes"), "largest_layer_mm2": term("largest layer"),
    "largest_scale": term("largest scale"), "largest_speck_mm": term("largest stray speck left"),
    "layer": term("layer"), "layer_mm": term("layer height"), "layers": term("layers"),
    "least_pieces_to_fit": term("pieces needed to fit"), "least_wall_mm": term("least wall"),
    "likely_unit": term("likely unit"), "longest_piece_hours": term("longest piece"),
    "longest_side_mm": term("longest side"), "material": term("material"), "material_g": term("material"),
    "measures": term("measures"), "name": term("name"), "necks": term("necks"), "no_way": term("without a route"),
    "offset": term("offset"), "on_piece": term("on the piece"), "overhang_area_mm2": term("overhang area"),
    "piece": term("piece"), "pieces": term("pieces"), "pockets": term("pockets"), "posts": term("posts"),
    "posts_volume_mm3": term("volume of posts"), "print_seconds": term("print time"), "printer": term("printer"),
    "problem": term("problem"), "report": term("report"), "same_as": term("same as"), "saved_mm3": term("saved"),
    "scale_with_clearance": term("scale with that clearance"), "seam_in_sight_mm": term("seam in sight"),
    "seam_length_mm": term("seam length"), "seam_on_show_mm": term("seam on show faces"),
    "seconds_left": term("time left"), "set_aside_mm3": term("set aside"), "sheet": term("sheet"),
    "sit_flat": term("all flat"), "sits_flat": term("sits flat"), "size_mm": term("size"),
    "slender": term("slender posts"), "specks": term("stray specks left"), "state": term("state"),
    "support_inside_mm3": term("support hard to reach"), "support_on_piece_mm3": term("support on the piece"),
    "support_volume_before_mm3": term("support before cutting"), "support_volume_mm3": term("support"),
    "tangled_share": term("passes through itself"), "thin": term("thin walls"),
    "thin_wall_area_mm2": term("thin wall area"), "thinnest_wall_mm": term("thinnest wall"),
    "tipping_deg": term("tips at"), "token": term("access token"), "too_large_mm": term("too large by"),
    "touched_area_mm2": term("touched area"), "triangles": term("triangles"),
    "triangles_after": term("triangles after"), "triangles_before": term("triangles before"), "unit": term("unit"),
    "url": term("address"), "vents": term("vents"), "voids": term("enclosed air"),
    "volume_after_mm3": term("volume after"), "volume_before_mm3": term("volume before"), "volume_mm3": term("volume"),
    "wearer": term("wearer"), "wearer_clearance_mm": term("room around the wearer"),
    "wearer_poking_area_mm2": term("wearer pokes through"), "with_posts": term("with posts"), "z_mm": term("height"),
}
"""What each figure is called, as in the window."""

_PIECES = ("name", "size_mm", "volume_mm3", "support_volume_mm3", "overhang_area_mm2", "base_area_mm2", "sits_flat",
           "fits", "print_seconds", "material_g")
_JOB = ("beds", "hours", "elapsed_hours", "longest_piece_hours", "material_g", "cost", "glue_mm2")


@dataclass(frozen=True)
class _TableOf:
    """A table with a row for each entry of the list ``of``.

    Attributes
    ----------
    titled : str
        Its title.
    columns : tuple[str, ...]
        The figures of each row.
    """

    of: str
    titled: str
    columns: tuple[str, ...]


@dataclass(frozen=True)
class _Found:
    """A table of findings, with a row for each, piece by piece.

    Attributes
    ----------
    lists : tuple[tuple[str, str], ...]
        The lists of a piece that are shown, and the name of one of their entries.
    """

    lists: tuple[tuple[str, str], ...]
    columns: tuple[str, ...]


_FOUND = _Found(
    (("islands", term("island")), ("voids", term("enclosed air")), ("jumps", term("jump")), ("necks", term("neck")),
     ("thin", term("thin wall")), ("grooves", term("groove"))),
    ("z_mm", "area_mm2", "at"),
)
_HANDED = (
    _TableOf("beds", term("Beds"), ("bed", "printer", "material", "pieces", "hours", "material_g", "cost", "file")),
)
_SHOWN: dict[str, tuple[str | _TableOf | _Found, ...]] = {
    "measure": ("size_mm", "volume_mm3", "triangles", "closed", "unit", "likely_unit", "overhang_area_mm2",
                "support_volume_mm3", "support_on_piece_mm3", "support_inside_mm3", "touched_area_mm2",
                "base_area_mm2", "sits_flat", "tipping_deg", "layers", "largest_layer_mm2", "print_seconds",
                "material_g", "fits", "too_large_mm", "largest_scale", "thinnest_wall_mm", "thin_wall_area_mm2",
                "wearer", "wearer_clearance_mm", "wearer_poking_area_mm2", "scale_with_clearance", "mending",
                "bodies"),
    "check": ("layer_mm", _TableOf("pieces", term("Pieces"), ("name", "layers", "islands", "voids", "pockets", "jumps",
                                                           "necks", "thin", "grooves", "largest_layer_mm2")), _FOUND),
    "tilt": (_TableOf("seats", term("Seats"), ("kind", "down", "size_mm", "support_volume_mm3", "overhang_area_mm2",
                                             "base_area_mm2", "sits_flat", "fits", "print_seconds")),),
    "sweep": (_TableOf("places", term("Places"), ("offset", "support_volume_mm3", "seam_in_sight_mm", "cut_area_mm2",
                                                "longest_side_mm", "fits")), "valleys"),
    "propose": ("support_volume_before_mm3", "least_pieces_to_fit",
                _TableOf("whole", term("In one piece"), ("down", "support_volume_mm3", "sit_flat", "fit")),
                _TableOf("front", term("Plans"), ("pieces", "support_volume_mm3", "seam_in_sight_mm",
                                                          "seam_on_show_mm", "sit_flat", "fit", "equal_pieces", "beds",
                                                          "print_seconds")), "why_none"),
    "mend": ("triangles_before", "triangles_after", "volume_before_mm3", "volume_after_mm3", "largest_distance_mm",
             "specks", "largest_speck_mm", "tangled_share", "closed", "steps"),
    "cut": (_TableOf("pieces", term("Pieces"), (*_PIECES, "file", "same_as")),
            _TableOf("cuts", term("Cuts"), ("name", "kind", "seam_length_mm", "seam_in_sight_mm", "cut_area_mm2",
                                          "kerf_volume_mm3", "set_aside_mm3")),
            "volume_before_mm3", "support_volume_mm3", "seam_length_mm", "seam_on_show_mm"),
    "join": (_TableOf("pieces", term("Pieces"), (*_PIECES, "base_kept", "file")),
             _TableOf("extras", term("Printed separately"), ("name", "kind", "volume_mm3", "file")),
             _TableOf("contacts", term("Contacts"), ("pieces", "cut", "area_mm2", "least_wall_mm", "joins")),
             "blocked", "volume_before_mm3", "joins_volume_mm3", "support_volume_mm3"),
    "hollow": (_TableOf("pieces", term("Pieces"), (*_PIECES, "hollow", "file")),
               _TableOf("voids", term("Voids"), ("piece", "volume_mm3", "vents")),
               _TableOf("extras", term("Printed separately"), ("name", "kind", "volume_mm3", "file")),
               "volume_before_mm3", "saved_mm3", "least_wall_mm"),
    "posts": (_TableOf("pieces", term("Pieces"), ("name", "posts", "on_piece", "braces", "slender", "no_way",
                                                "posts_volume_mm3", "contact_mm2", "contact_on_show_mm2", "file",
                                                "with_posts")),),
    "handoff": (*_HANDED, *_JOB, "too_large", "too_near", "sheet"),
    "run": (*_HANDED, *_JOB, "too_large", "too_near", "sheet"),
    "coupon": ("kind", "measures", "clearances_mm", "size_mm", "volume_mm3", "clearance_mm", "fitted", "file"),
    "batch": (_TableOf("models", term("Models"), ("file", "state", "pieces", "beds", "hours", "material_g", "cost",
                                                "problem")), "done", "kept", "failed", "report"),
    "send": ("name", "id", "state", "layer", "layers", "seconds_left", "grams", "problem"),
    "printer": ("url", "token", "printer", "kind", "keeps", "folder"),
}
"""What is shown of each command's result, in this order."""

_LINES = {
    "mending": term("Mended"), "bodies": term("Bodies"), "why_none": term("Why there are none"), "steps": term("Steps"),
    "blocked": term("Overlapping"), "valleys": term("Best places"),
    "too_large": term("Too large for the bed"), "too_near": term("Too close together"),
    "notes": term("Worth knowing"), "problem": term("Worth knowing"),
}
_GAP = "  "
_MOST_ROWS = 40
"""Of a table: what is beyond them is counted."""
_LEFT = frozenset({"name", "kind", "file", "printer", "material", "problem", "state", "cut", "same_as", "with_posts",
                   "hollow", "at", "down", "seat", "joins"})


def lines_of(command: str, result: Result) -> list[str]:
    """The result of a command as lines for a person."""
    lines: list[str] = []
    flat = {**result, **(result["job"] if isinstance(result.get("job"), Mapping) else {})}
    if "job" in result:
        flat["beds"] = result["beds"]
    pairs: list[tuple[str, str]] = []

    def end_pairs() -> None:
        wide = max((len(label) for label, _ in pairs), default=0)
        lines.extend(f"{label:<{wide}}{_GAP}{value}".rstrip() for label, value in pairs)
        pairs.clear()

    for one in (*_SHOWN[command], "notes", "problem"):
        if isinstance(one, _TableOf):
            end_pairs()
            lines += _titled(tr(one.titled), _table(one, flat.get(one.of, [])))
        elif isinstance(one, _Found):
            lines += _titled(tr("Found"), _found(one, flat["pieces"]))
        elif one in _LINES:
            end_pairs()
            lines += _titled(tr(_LINES[one]), _listed(one, flat.get(one)))
        elif one in flat and _tells(one, flat[one]):
            pairs.append((label_of(one), _said(one, flat[one])))
    end_pairs()
    return lines


def label_of(name: str) -> str:
    """The label of a figure, with a capital first letter."""
    return sentence(tr(WORDS[name]))


def _titled(title: str, lines: list[str]) -> list[str]:
    return [title, *(f"{_GAP}{line}" for line in lines)] if lines else []


def _tells(name: str, value: object) -> bool:
    """Whether a figure is worth a line. An empty list of pieces that are too large is not, nor is an unknown figure."""
    if name == "too_large_mm":
        return isinstance(value, Sequence) and any(value)
    return value is not None and value not in ("", [])


def _table(table: _TableOf, rows: Sequence[Result]) -> list[str]:
    columns = [name for name in table.columns if any(name in row and row[name] is not None for row in rows)]
    cells = [[_said(name, row.get(name)) for name in columns] for row in rows[:_MOST_ROWS]]
    return _aligned(columns, cells, len(rows) - _MOST_ROWS)


def _found(found: _Found, pieces: Sequence[Result]) -> list[str]:
    columns = ["name", "kind", *found.columns]
    rows = [
        [piece["name"], tr(word), *(_said(name, one.get(name)) for name in found.columns)]
        for piece in pieces for name_of, word in found.lists for one in piece.get(name_of, [])
    ]
    return _aligned(columns, rows[:_MOST_ROWS], len(rows) - _MOST_ROWS)


def _aligned(columns: list[str], cells: list[list[str]], more: int) -> list[str]:
    """Rows under their labels, with figures aligned to the right."""
    if not cells:
        return []
    rows = [[label_of(name) for name in columns], *cells]
    wide = [max(len(row[k]) for row in rows) for k in range(len(columns))]
    lines = [
        _GAP.join(
            cell.ljust(width) if name in _LEFT else cell.rjust(width)
            for cell, width, name in zip(row, wide, columns, strict=True)
        ).rstrip()
        for row in rows
    ]
    return [*lines, tr("and {more} more", more=text.count(more))] if more > 0 else lines


def _listed(name: str, value: object) -> list[str]:
    if not value:
        return []
    if isinstance(value, str):
        return [value]
    assert isinstance(value, Iterable)
    if name == "notes":
        return [one["says"] for one in value]
    if name == "blocked":
        return [tr("pieces {list}: free for {free}", list=", ".join(map(str, one["pieces"])),
                   free=text.length(one["free_mm"], 1)) for one in value]
    return [_with_minus(text.length(one, 1)) if isinstance(one, float) else str(one) for one in value]


def _said(name: str, value: Any) -> str:
    """A figure with its unit."""
    if value is None or isinstance(value, float) and not math.isfinite(value):
        return "–"
    if isinstance(value, bool):
        return tr("yes") if value else tr("no")
    if name in _ONES:
        return _ONES[name](value)
    if isinstance(value, str):
        return value
    if isinstance(value, Sequence):
        return text.count(len(value))
    shown = next((shown for ending, shown in _BY_UNIT.items() if name.endswith(ending)), None)
    return _with_minus(
        shown(value) if shown else text.count(value) if isinstance(value, int) else text.number(value, 2)
    )


def _with_minus(figure: str) -> str:
    return figure.replace("-", "−")


def _triple(values: Sequence[float], digits: int) -> str:
    """Three numbers. One that rounds to zero has no sign."""
    return " ".join(_with_minus(text.number(round(one, digits) + 0.0, digits)) for one in values)


def _joins(joins: Sequence[Result]) -> str:
    """The measures of the joins of a contact, and which of them are not made."""
    said = [one["measures"] if one["made"] else tr("not made: {problem}", problem=one["problem"]) for one in joins]
    kinds = list(dict.fromkeys(said))
    return "; ".join(f"{said.count(one)} × {one}" for one in kinds) if kinds else "–"


_ONES: dict[str, Callable[[Any], str]] = {
    "size_mm": lambda value: text.box(tuple(value)),
    "too_large_mm": lambda value: ", ".join(one for one in text.too_large(tuple(value)) if one),
    "layer_mm": text.layer,
    "cost": text.money,
    "hours": lambda value: text.hours(3600 * value),
    "elapsed_hours": lambda value: text.hours(3600 * value),
    "longest_piece_hours": lambda value: text.hours(3600 * value),
    "seconds_left": text.hours,
    "grams": text.grams,
    "offset": lambda value: _with_minus(text.length(value, 1)),
    "down": lambda value: _triple(value, 2),
    "at": lambda value: " ".join(_with_minus(text.bare(round(one, 1) + 0.0, 1)) for one in value) + f" {text.unit()}",
    "clearances_mm": lambda value: " ".join(text.bare(one, 2) for one in value) + f" {text.unit()}",
    "clearance_mm": lambda value: text.length(value, 2),
    "thinnest_wall_mm": lambda value: text.length(value, 2),
    "least_wall_mm": lambda value: text.length(value, 2),
    "largest_speck_mm": lambda value: text.near(value, 2) if value else "–",
    "largest_distance_mm": lambda value: text.near(value) if value else text.mm(0.0),
    "largest_scale": lambda value: text.number(value, 3),
    "base_kept": lambda value: text.percent(value),
    "tangled_share": lambda value: text.percent(value, 1),
    "joins": _joins,
    "pieces": lambda value: (
        text.count(len(value)) if value and isinstance(value, list) and isinstance(value[0], Mapping)
        else ", ".join(map(str, value)) if isinstance(value, list) else str(value)
    ),
    "hollow": lambda value: value or tr("yes"),
}
_BY_UNIT: dict[str, Callable[[Any], str]] = {
    "_mm3": text.volume, "_mm2": text.area, "_mm": text.mm, "_deg": text.degrees, "_g": text.grams,
    "_seconds": text.hours, "_share": text.percent, "_n": lambda value: f"{text.number(value, 1)} N",
}
