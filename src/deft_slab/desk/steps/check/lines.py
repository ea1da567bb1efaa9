"""What was checked of a plan, in words: failed, look here, good; worst first."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from ....core import text
from ....core.checked import Checked, Found, Groove, Island, Jump, Neck, Pocket, Steadiness, ThinWall
from ....core.outcome import Outcome, Piece
from ....core.printer import Printer

Verdict = Literal["failed", "look", "good", "left"]
Help = Literal["seat", "hold"]
"""What may help: another seat; a hold spot."""

_MOST_OF_A_KIND = 12
"""Lines of one kind and piece; the rest is said in one."""
_HARD_TO_REACH = 0.05
"""Share of the support that may stand where hardly a ray gets out, without a word."""
_LOST = 1e-6


@dataclass(frozen=True)
class Line:
    """One thing that was checked.

    what : its name; detail : size and place; means : what it means, and what helps, in a sentence
    number : of the piece, from 0 on; found : where it is, None where it has no place; helps : what may help
    weight : how bad it is among its kind
    """

    verdict: Verdict
    what: str
    detail: str
    means: str = ""
    number: int | None = None
    found: Found | None = None
    helps: tuple[Help, ...] = ()
    weight: float = 0.0


def lines_of(outcome: Outcome, checked: Sequence[Checked], printer: Printer) -> list[Line]:
    """All lines of a plan, the worst first; without those of layers while these are not known."""
    found = [*_about_volume(outcome), *_about_joins(outcome)]
    for number, piece in enumerate(outcome.pieces):
        several = len(outcome.pieces) > 1
        own = piece.on(printer)
        found += _about_seat(number, piece, own)
        if number < len(checked):
            found += _about_layers(checked[number], piece.name if several else "", own)
    said = {f"{piece.name} does not fit the printer: {piece.fit.sentence()}." for piece in outcome.pieces}
    notes = (note for note in outcome.notes if note not in said)
    found += [_about_support(outcome), *(Line("look", "Look here", note) for note in notes)]
    order = {"failed": 0, "look": 1, "left": 2, "good": 3}
    return sorted(found, key=lambda line: (order[line.verdict], -line.weight))


def _about_volume(outcome: Outcome) -> list[Line]:
    pieces = outcome.pieces
    open_pieces = [piece.name for piece in pieces if not piece.figures.closed]
    if open_pieces:
        return [Line("failed", "Not closed", ", ".join(open_pieces),
                     "Nothing can be printed of it reliably. The Size step closes it.", weight=1e9)]  # fmt: skip
    found = [Line("good", "Closed", "every piece encloses a volume")]
    off = outcome.lost_share
    if off is not None and outcome.volume_before_mm3 is not None:
        after = sum(piece.figures.volume_mm3 or 0.0 for piece in pieces)
        parts = [f"{text.volume(after)} in {len(pieces)}"]
        parts += [f"{text.volume(outcome.kerf_mm3)} of kerf"] if outcome.kerf_mm3 > 0 else []
        parts += [f"{text.volume(outcome.set_aside_mm3)} set aside"] if outcome.set_aside_mm3 > 0 else []
        if outcome.joins_mm3:
            joins = outcome.joins_mm3
            parts += [f"{'−' if joins > 0 else ''}{text.volume(abs(joins))} of joins"]
        detail = f"{' + '.join(parts)} of {text.volume(outcome.volume_before_mm3)}; off by {off:.0e}"
        fine = off <= _LOST
        found.append(Line("good" if fine else "failed", "Nothing lost" if fine else "Volume lost or gained", detail))
    return found


def _about_joins(outcome: Outcome) -> list[Line]:
    """Whether all joins are made, and whether every contact has one."""
    totals = outcome.totals
    if not totals.contacts:
        return []
    failed = [report for report in outcome.joins.values() if report.problem]
    found = []
    if outcome.joins:
        made = len(outcome.joins) - len(failed)
        wall = totals.least_wall_mm
        around = f", wall around them {text.wall(wall)} or more" if math.isfinite(wall) else ""
        found.append(Line("failed" if failed else "good", "Joins that are not made" if failed else "All joins are made",
                          f"{made} of {len(outcome.joins)} made{around}"))  # fmt: skip
    with_join = {report.contact for report in outcome.joins.values() if not report.problem}
    bare = totals.contacts - len(with_join - {None})
    found.append(Line("look" if bare else "good", "Contacts without a join" if bare else "Every contact has a join",
                      f"{totals.contacts - bare} of {totals.contacts}; “glue only” counts"))  # fmt: skip
    return found


def _about_seat(number: int, piece: Piece, printer: Printer) -> list[Line]:
    f = piece.figures
    turn = f"turned by {text.degrees(piece.fit.yaw)}" if piece.fit.yaw else "as it lies"
    fits = piece.fit.fits
    found = [
        Line("good" if fits else "failed", f"{piece.name} {'fits' if fits else 'does not fit'} the printer",
             turn if fits else piece.fit.sentence(), "" if fits else "Turn it, cut it, or take a larger printer.",
             number, weight=1e8)
    ]  # fmt: skip
    if piece.lift > 0:
        return found  # it stands on support
    flat = f.sits_flat and f.tipping_deg >= printer.least_tip
    found.append(
        Line("good" if flat else "look", f"{piece.name} {'sits flat' if flat else 'does not sit flat'}",
             f"{text.area(f.base_area_mm2)} on the bed, tips at {text.degrees(f.tipping_deg)}",
             "" if flat else "It may come loose. Another seat, or a cut for a face to lie on, helps.", number,
             helps=() if flat else ("seat",))
    )  # fmt: skip
    return found


def _about_support(outcome: Outcome) -> Line:
    totals = outcome.totals
    share = totals.support_inside_mm3 / totals.support_volume_mm3 if totals.support_volume_mm3 > 0 else 0.0
    hidden = f"{text.volume(totals.support_inside_mm3)} ({100 * share:.0f} %) stands where hardly a ray gets out"
    if share < _HARD_TO_REACH:
        return Line("good", "Support that can be taken out", hidden)
    return Line("look", "Support hard to take out", hidden, "No tool may reach it. Another cut or seat opens it up.")


# layers


def _about_layers(checked: Checked, name: str, printer: Printer) -> list[Line]:
    """name : of the piece, empty where it is the only one"""
    if checked.problem:
        return [Line("failed", _named("Layers are not known", name), checked.problem, number=checked.number)]
    found = [*_about_islands(checked, name), *_about_pockets(checked, name, printer)]
    if printer.kind == "resin":
        found += _several(checked, name, [(_jump(checked, jump), jump.growth) for jump in checked.jumps], "jumps")
        if not checked.jumps:
            peel = text.area(float(checked.peel.max()))
            found.append(
                Line("good", _named("No jumps", name), f"at most {peel} peels off at once", number=checked.number)
            )
    found += [line for neck in checked.necks if (line := _neck(checked, neck, name, printer)) is not None]
    thin = [(_thin(checked, wall), wall.area) for wall in checked.thin]
    found += _several(checked, name, thin, "thin walls")
    if not thin:
        found.append(Line("good", _named("No thin walls", name),
                          f"none of {printer.thinnest_wall:.2g} mm or less", number=checked.number))  # fmt: skip
    filed = [(_groove(one, printer), one.length) for one in checked.grooves]
    found += _several(checked, name, filed, "grooves")
    if checked.steadiness is not None:
        found += _about_standing(checked, checked.steadiness, name, printer)
    return found


def _named(what: str, name: str) -> str:
    return f"{what}, {name[0].lower()}{name[1:]}" if name else what


def _several(checked: Checked, name: str, lines: list[tuple[Line, float]], kind: str) -> list[Line]:
    """Lines of one kind; those beyond some number in one."""
    shown = [
        replace(line, what=_named(line.what, name), number=checked.number, weight=weight)
        for line, weight in lines[:_MOST_OF_A_KIND]
    ]
    more = len(lines) - len(shown)
    if more > 0:
        shown.append(Line(lines[-1][0].verdict, _named(f"{more} more {kind}", name), "smaller than those above",
                          number=checked.number))  # fmt: skip
    return shown


def _about_islands(checked: Checked, name: str) -> list[Line]:
    unheld = [(_island(one), float(one.hangs) + one.grows) for one in checked.unheld]
    found = _several(checked, name, unheld, "islands")
    left = [(_island(one), one.grows) for one in checked.islands if one.left]
    found += _several(checked, name, left, "islands left on purpose")
    held = sum(bool(one.held) for one in checked.islands)
    small = sum(one.small and not one.held for one in checked.islands)
    said = ", ".join([*([f"{held} held"] if held else []), *([f"{small} too small to matter"] if small else [])])
    if not unheld:
        found.append(Line("good", _named("No islands", name), said or f"in {checked.layers:,} layers",
                          number=checked.number))  # fmt: skip
    elif said:
        found.append(Line("good", _named("Other islands", name), said, number=checked.number))
    return found


def _island(one: Island) -> Line:
    layers = f"{one.hangs} layer{'s' if one.hangs > 1 else ''}"
    until = f"hangs for {layers}" if one.meets else "the rest hangs by it" if one.layer == 0 else "never meets the rest"
    grows = f", grows to {text.area(one.grows)}" if one.grows > 1.5 * one.area + 0.05 else ""
    means = (
        "It begins in the air: it falls off or is dragged along. A hold spot or another seat helps; what is trivial "
        "may be left."
    )
    return Line("left" if one.left else "failed", "Island",
                f"at {one.z:.2f} mm, {text.small_area(one.area)}{grows}, {until}", means, found=one,
                helps=("hold", "seat"))  # fmt: skip


_BECOMES = {
    "opens": "opens at {:.1f} mm", "open at its top": "open at its top", "trapped": "closed for good",
    "sealed by the plate": "sealed by the plate, gone when it is lifted",
}  # fmt: skip


def _about_pockets(checked: Checked, name: str, printer: Printer) -> list[Line]:
    resin = printer.kind == "resin"
    lines, little = [], 0
    for one in checked.pockets:
        if not one.counts(printer):
            little += 1
        else:
            lines.append((_pocket(one, resin=resin), one.area if resin else one.volume / 1e3))
    found = _several(checked, name, lines, "pockets")
    if not lines:
        largest = max((one.area for one in checked.pockets), default=0.0)
        said = f"{little} small or flat ones, the largest {text.area(largest)}" if little else "no air is closed in"
        if not resin:
            said = "nothing is closed in for good"
        found.append(Line("good", _named("No cups" if resin else "No voids", name), said, number=checked.number))
    return found


def _pocket(one: Pocket, *, resin: bool) -> Line:
    becomes = _BECOMES[one.becomes].format(one.opens or 0.0)
    if one.trapped:
        means = (
            f"{text.volume(one.volume)} of resin stay inside for good. A vent lets them out."
            if resin
            else "Support in it, if any, stays there. A cut through it opens it."
        )
        what, verdict = "Trapped void", "failed" if resin else "look"
        detail = f"{one.begins:.1f} to {one.z:.1f} mm and on, {text.volume(one.volume)}"
    else:
        means = f"It sucks at the film with up to {one.pull:.0f} N at each lift. A vent or another seat lets air in."
        what, verdict = "Cup", "failed"
        detail = f"{text.area(one.area)} at {one.z:.1f} mm, {text.volume(one.volume)}, {becomes}"
    return Line("left" if one.left else verdict, what, detail, means, found=one, helps=("seat",))  # type: ignore[arg-type]


def _jump(checked: Checked, one: Jump) -> Line:
    return Line("left" if one.left else "look", "Jump",
                f"at {one.z:.2f} mm, {text.area(one.growth)} more than the layer before",
                "A wide layer at once tears or leaves a line. Leaning the piece spreads it over many layers.",
                number=checked.number, found=one, helps=("seat",))  # fmt: skip


def _neck(checked: Checked, one: Neck, name: str, printer: Printer) -> Line | None:
    if one.share >= printer.least_neck and not one.left:
        return None
    verdict: Verdict = "left" if one.left else "look"
    return Line(verdict, _named("Neck", name),
                f"{text.small_area(one.area)} at {one.z:.1f} mm carries a layer of {text.area(one.above)}",
                "All that is above hangs by it while it is printed. Another seat, or support beside it, helps.",
                checked.number, one, ("seat",), 1.0 / max(one.share, 1e-6))  # fmt: skip


def _thin(checked: Checked, one: ThinWall) -> Line:
    held = " Support touches it, and may take it along when it comes off." if one.held else ""
    return Line("left" if one.left else "look", "Thin wall",
                f"{one.least:.2f} mm over {text.area(one.area)}, at {one.z:.1f} mm",
                f"It prints badly or breaks. Make the model larger, or thicken it where it was made.{held}",
                number=checked.number, found=one)  # fmt: skip


def _groove(one: Groove, printer: Printer) -> Line:
    return Line("left" if one.left else "look", "Groove that no file enters",
                f"{text.mm(one.length)} of seam, for a file {printer.file:g} mm across",
                "What is glued there keeps its step. Sand it before gluing, take a finer file, or move the cut.",
                found=one)  # fmt: skip


def _about_standing(checked: Checked, steady: Steadiness, name: str, printer: Printer) -> list[Line]:
    """Tall and thin, small foot, sideways push; nothing of a piece that stands on support."""
    if checked.base > 0 or steady.tips < printer.least_tip:
        return []  # said already
    slender = f"{steady.slender:.1f} times as tall as its foot is wide" if math.isfinite(steady.slender) else "no foot"
    said = f"{slender}; {steady.push:.2f} N at its top tip it"
    fine = steady.slender <= printer.most_slender
    return [Line("good" if fine else "look", _named("Stands steadily" if fine else "Tall and thin", name), said,
                 "" if fine else "It sways while it is printed. Lay it down, or widen its foot.", checked.number,
                 helps=() if fine else ("seat",))]  # fmt: skip
