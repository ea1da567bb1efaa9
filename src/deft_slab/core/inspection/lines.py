"""The lines of Check: one for each thing that was checked, the worst first, with a code, a verdict, a place, and
words.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from ..locale import text
from ..locale.translate import tr, tr_many
from ..printers.profile import Printer
from ..results.outcome import Outcome, Piece
from .findings import Finding, Groove, Inspection, Island, Jump, Neck, Pocket, Steadiness, ThinWall

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

    Attributes
    ----------
    code : str
        What was checked, independent of the language.
    what : str
        Its name.
    detail : str
        Its size and place.
    means : str
        What it means and what helps, in a sentence.
    number : int
        The number of the piece, from 0 on.
    found : Finding | None
        The finding; None if the line has no place.
    helps : tuple[Help, ...]
        What may help.
    weight : float
        How bad it is among lines of its kind.
    """

    code: str
    verdict: Verdict
    what: str
    detail: str
    means: str = ""
    number: int | None = None
    found: Finding | None = None
    helps: tuple[Help, ...] = ()
    weight: float = 0.0


def lines_of(outcome: Outcome, checked: Sequence[Inspection], printer: Printer) -> list[Line]:
    """All lines of a plan, the worst first. Lines about layers are missing while these are not known."""
    found = [*_about_volume(outcome), *_about_joins(outcome)]
    for number, piece in enumerate(outcome.pieces):
        several = len(outcome.pieces) > 1
        own = piece.on(printer)
        found += _about_seat(number, piece, own)
        if number < len(checked):
            found += _about_layers(checked[number], piece.name if several else "", own)
    if printer.kind == "filament":  # on resin posts hold what begins in the air, and the islands say where
        found.append(_about_support(outcome))
    found += [
        Line(note.code, "look", tr("Look here"), note.says, number=note.piece)
        for note in outcome.notes if note.subject != "fit"  # that has a line of its own
    ]
    order = {"failed": 0, "look": 1, "left": 2, "good": 3}
    return sorted(found, key=lambda line: (order[line.verdict], -line.weight))


def _about_volume(outcome: Outcome) -> list[Line]:
    pieces = outcome.pieces
    open_pieces = [piece.name for piece in pieces if not piece.figures.closed]
    if open_pieces:
        return [Line("closed", "failed", tr("Not closed"), ", ".join(open_pieces),
                     tr("It cannot be printed reliably. The Size step can close it."), weight=1e9)]
    found = [Line("closed", "good", tr("Closed"), tr("every piece encloses a volume"))]
    off = outcome.lost_share
    if off is not None and outcome.volume_before_mm3 is not None:
        after = sum(piece.figures.volume_mm3 or 0.0 for piece in pieces)
        parts = [tr_many("{volume} in {n} piece", "{volume} in {n} pieces", len(pieces), volume=text.volume(after))]
        parts += [tr("{volume} of kerf", volume=text.volume(outcome.kerf_mm3))] if outcome.kerf_mm3 > 0 else []
        parts += (
            [tr("{volume} set aside", volume=text.volume(outcome.set_aside_mm3))] if outcome.set_aside_mm3 > 0 else []
        )
        if outcome.joins_mm3:
            joins = outcome.joins_mm3
            parts += [tr("{volume} of joins", volume=("−" if joins > 0 else "") + text.volume(abs(joins)))]
        detail = tr(
            "{list}, {volume} before the cuts; difference {off}",
            list=" + ".join(parts),
            volume=text.volume(outcome.volume_before_mm3),
            off=text.small_percent(off),
        )
        fine = off <= _LOST
        what = tr("Nothing lost") if fine else tr("Volume lost or gained")
        found.append(Line("volume", "good" if fine else "failed", what, detail))
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
        around = tr(", wall around them {wall} or more", wall=text.wall(wall)) if math.isfinite(wall) else ""
        found.append(Line("joins made", "failed" if failed else "good", tr("Joins that are not made")
                          if failed else tr("All joins are made"),
                          tr("{made} of {count} made{around}", made=made, count=len(outcome.joins),
                             around=around)))
    with_join = {report.contact for report in outcome.joins.values() if not report.problem}
    bare = totals.contacts - len(with_join - {None})
    found.append(Line("contacts joined", "look" if bare else "good", tr("Contacts without a join")
                      if bare else tr("Every contact has a join"),
                      tr("{contacts} of {contacts2}, including “glue only”", contacts=totals.contacts - bare,
                         contacts2=totals.contacts)))
    return found


def _about_seat(number: int, piece: Piece, printer: Printer) -> list[Line]:
    f = piece.figures
    turn = tr("turned by {angle}", angle=text.degrees(piece.fit.yaw)) if piece.fit.yaw else tr("as it lies")
    fits = piece.fit.fits
    found = [
        Line("fits", "good" if fits else "failed", tr("{piece} fits the printer", piece=piece.name) if fits
             else tr("{piece} does not fit the printer", piece=piece.name),
             turn if fits else piece.fit.sentence(), "" if fits else tr("Turn it, cut it, or use a larger printer."),
             number, weight=1e8)
    ]
    if piece.lift > 0:
        return found  # it stands on support
    flat = f.sits_flat and f.tipping_deg >= printer.least_tip
    found.append(
        Line("flat", "good" if flat else "look", tr("{piece} sits flat", piece=piece.name) if flat
             else tr("{piece} does not sit flat", piece=piece.name),
             tr("{area} on the bed, tips at {angle}", area=text.area(f.base_area_mm2),
                angle=text.degrees(f.tipping_deg)),
             "" if flat else tr("It may come loose. Another seat helps, or a cut that gives it a face to lie "
                                "on."), number,
             helps=() if flat else ("seat",))
    )
    return found


def _about_support(outcome: Outcome) -> Line:
    totals = outcome.totals
    share = totals.support_inside_mm3 / totals.support_volume_mm3 if totals.support_volume_mm3 > 0 else 0.0
    hidden = tr(
        "{volume} ({share:.0f} %) stands in places that are almost closed",
        volume=text.volume(totals.support_inside_mm3),
        share=100 * share,
    )
    if share < _HARD_TO_REACH:
        return Line("support reached", "good", tr("Support can be removed"), hidden)
    return Line(
        "support reached", "look", tr("Support hard to remove"), hidden,
        tr("Tools may not reach it. Another cut or seat makes it accessible."),
    )


# layers


def _about_layers(checked: Inspection, name: str, printer: Printer) -> list[Line]:
    """The lines about the layers of a piece.

    Parameters
    ----------
    name : str
        The name of the piece; empty if it is the only one.
    """
    if checked.problem:
        what = _named(tr("Layers unknown"), name)
        return [Line("layers", "failed", what, checked.problem, number=checked.number)]
    found = [*_about_islands(checked, name), *_about_pockets(checked, name, printer)]
    if printer.kind == "resin":
        found += _several(checked, name, [(_jump(checked, jump), jump.growth) for jump in checked.jumps],
                          tr("{count} more jumps"))
        if not checked.jumps:
            peel = text.area(float(checked.peel.max()))
            found.append(
                Line(
                    "jump",
                    "good",
                    _named(tr("No jumps"), name),
                    tr("at most {peel} peels off at once", peel=peel),
                    number=checked.number,
                )
            )
    found += [line for neck in checked.necks if (line := _neck(checked, neck, name, printer)) is not None]
    thin = [(_thin(checked, wall), wall.area) for wall in checked.thin]
    found += _several(checked, name, thin, tr("{count} more thin walls"))
    if not thin:
        found.append(Line("thin wall", "good", _named(tr("No thin walls"), name),
                          tr("none as thin as {wall}", wall=text.near(printer.thinnest_wall, 2)),
                          number=checked.number))
    filed = [(_groove(one, printer), one.length) for one in checked.grooves]
    found += _several(checked, name, filed, tr("{count} more grooves"))
    if checked.steadiness is not None:
        found += _about_standing(checked, checked.steadiness, name, printer)
    return found


def _named(what: str, name: str) -> str:
    return f"{what}, {name}" if name else what


def _several(checked: Inspection, name: str, lines: list[tuple[Line, float]], kind: str) -> list[Line]:
    """Lines of one kind; those beyond a certain number are summed up in one."""
    shown = [
        replace(line, what=_named(line.what, name), number=checked.number, weight=weight)
        for line, weight in lines[:_MOST_OF_A_KIND]
    ]
    more = len(lines) - len(shown)
    if more > 0:
        shown.append(Line(lines[-1][0].code, lines[-1][0].verdict, _named(kind.format(count=more), name),
                          tr("smaller than those above"),
                          number=checked.number))
    return shown


def _about_islands(checked: Inspection, name: str) -> list[Line]:
    unheld = [(_island(one), float(one.hangs) + one.grows) for one in checked.unheld]
    found = _several(checked, name, unheld, tr("{count} more islands"))
    left = [(_island(one), one.grows) for one in checked.islands if one.left]
    found += _several(checked, name, left, tr("{count} more islands left on purpose"))
    held = sum(bool(one.held) for one in checked.islands)
    small = sum(one.small and not one.held for one in checked.islands)
    said = ", ".join([
        *([tr("{count} held", count=held)] if held else []),
        *([tr("{count} too small to matter", count=small)] if small else []),
    ])
    if not unheld:
        found.append(Line("island", "good", _named(tr("No islands"), name), said or tr("in {layers:,} layers",
                                                                             layers=checked.layers),
                          number=checked.number))
    elif said:
        found.append(Line("other islands", "good", _named(tr("Other islands"), name), said, number=checked.number))
    return found


def _island(one: Island) -> Line:
    hangs = tr_many("hangs for {n} layer", "hangs for {n} layers", one.hangs)
    until = hangs if one.meets else tr("the rest hangs from it") if one.layer == 0 else tr("never meets the rest")
    grows = tr(", grows to {area}", area=text.area(one.grows)) if one.grows > 1.5 * one.area + 0.05 else ""
    means = tr(
        "It begins in the air, so it falls off or is dragged along. A hold spot or another seat helps. Leave it on "
        "purpose if it is trivial."
    )
    return Line("island", "left" if one.left else "failed", tr("Island"),
                tr("at {z}, {area}{grows}, {until}", z=text.length(one.z, 2), area=text.small_area(one.area),
                   grows=grows, until=until), means, found=one,
                helps=("hold", "seat"))


_BECOMES = {
    "opens": tr("opens at {height}", height="{}"), "open at its top": tr("open at its top"),
    "trapped": tr("closed for good"),
    "sealed by the plate": tr("sealed by the plate, open when it is lifted"),
}


def _about_pockets(checked: Inspection, name: str, printer: Printer) -> list[Line]:
    resin = printer.kind == "resin"
    lines, little = [], 0
    for one in checked.pockets:
        if not one.counts(printer):
            little += 1
        else:
            lines.append((_pocket(one, resin=resin), one.area if resin else one.volume / 1e3))
    found = _several(checked, name, lines, tr("{count} more pockets"))
    if not lines:
        largest = max((one.area for one in checked.pockets), default=0.0)
        said = (
            tr("{little} small or flat ones, the largest {area}", little=little, area=text.area(largest))
            if little
            else tr("no air is enclosed")
        )
        if not resin:
            said = tr("nothing stays enclosed")
        what = _named(tr("No cups") if resin else tr("No voids"), name)
        found.append(Line("pocket", "good", what, said, number=checked.number))
    return found


def _pocket(one: Pocket, *, resin: bool) -> Line:
    becomes = _BECOMES[one.becomes].format(text.length(one.opens or 0.0, 1))
    if one.trapped:
        means = (
            tr("{volume} of resin stays inside for good. A vent lets it out.", volume=text.volume(one.volume))
            if resin
            else tr("Any support inside stays there. A cut through the void opens it.")
        )
        what, verdict = tr("Trapped void"), "failed" if resin else "look"
        detail = tr("from {begins} to {z} and above, "
                    "{volume}", begins=text.length(one.begins, 1), z=text.length(one.z, 1),
                    volume=text.volume(one.volume))
    else:
        means = tr(
            "It pulls at the film with up to {pull:.0f} N at each lift. A vent or another seat lets air in.",
            pull=one.pull,
        )
        what, verdict = tr("Cup"), "failed"
        detail = tr(
            "{area} at {z}, {volume}, {becomes}",
            area=text.area(one.area),
            z=text.length(one.z, 1),
            volume=text.volume(one.volume),
            becomes=becomes,
        )
    return Line("pocket", "left" if one.left else verdict, what, detail, means, found=one, helps=("seat",))  # type: ignore[arg-type]


def _jump(checked: Inspection, one: Jump) -> Line:
    return Line("jump", "left" if one.left else "look", tr("Jump"),
                tr("at {z}, {area} more than the layer before", z=text.length(one.z, 2), area=text.area(one.growth)),
                tr("A layer that suddenly grows can tear or leave a line. Leaning the piece spreads the growth "
                   "over many layers."),
                number=checked.number, found=one, helps=("seat",))


def _neck(checked: Inspection, one: Neck, name: str, printer: Printer) -> Line | None:
    if one.share >= printer.least_neck and not one.left:
        return None
    verdict: Verdict = "left" if one.left else "look"
    return Line("neck", verdict, _named(tr("Neck"), name),
                tr("{area} at {z} carries a layer of {area2}", area=text.small_area(one.area), z=text.length(one.z, 1),
                   area2=text.area(one.above)),
                tr("Everything above hangs from it while it is printed. Another seat helps, or support beside it."),
                checked.number, one, ("seat",), 1.0 / max(one.share, 1e-6))


def _thin(checked: Inspection, one: ThinWall) -> Line:
    held = tr(" Support touches it, and may tear it off when it is removed.") if one.held else ""
    return Line("thin wall", "left" if one.left else "look", tr("Thin wall"),
                tr("{least} over {area}, at {z}", least=text.length(one.least, 2), area=text.area(one.area),
                   z=text.length(one.z, 1)),
                tr("It prints badly or breaks. Make the model larger, or thicken the wall in the program that made "
                   "it.{held}",
                   held=held),
                number=checked.number, found=one)


def _groove(one: Groove, printer: Printer) -> Line:
    return Line("groove", "left" if one.left else "look", tr("Groove too narrow to sand"),
                tr("{length} of seam, for a sanding tool {file} across", length=text.mm(one.length),
                   file=text.given(printer.file)),
                tr("The step that gluing leaves there will stay. Sand it before gluing, use a narrower tool, or "
                   "move the cut."),
                found=one)


def _about_standing(checked: Inspection, steady: Steadiness, name: str, printer: Printer) -> list[Line]:
    """Lines on how slender the piece is, and what sideways push tips it; none for a piece that stands on support."""
    if checked.base > 0 or steady.tips < printer.least_tip:
        return []  # said already
    slender = (
        tr("{slender:.1f} times as tall as its foot is wide", slender=steady.slender)
        if math.isfinite(steady.slender)
        else tr("no foot")
    )
    said = tr("{slender}; {push:.2f} N at its top tips it over", slender=slender, push=steady.push)
    fine = steady.slender <= printer.most_slender
    what = _named(tr("Stands steadily") if fine else tr("Tall and thin"), name)
    return [Line("steady", "good" if fine else "look", what, said,
                 "" if fine else tr("It sways while it is printed. Lay it down, or widen its foot."), checked.number,
                 helps=() if fine else ("seat",))]
