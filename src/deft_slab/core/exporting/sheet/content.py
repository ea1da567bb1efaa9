"""The contents of a sheet."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator, Sequence

import numpy as np

from ...inspection.findings import Finding, Inspection
from ...locale import text
from ...locale.translate import sentence, tr, tr_many
from ...printers.profile import Printer
from ...progress import QUIET, Job
from ...results.outcome import Outcome, Piece
from ..equal_pieces import first_equals
from . import views
from .blocks import Block, Card, Cards, DrawingRow, Figure, Heading, Points, SheetTable, Words
from .clamping import holding
from .stock import rods
from .subject import SheetSubject

_MOST_STEPS_DRAWN = 60
_MOST_PLACES = 4
"""Heights at which something was found that are named; of more, how many."""
_WIDE = 170.0
"""mm that the drawings of a page may take."""


def blocks_of(subject: SheetSubject, job: Job = QUIET) -> list[Block]:
    """All blocks of a sheet, in order.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    found: list[Block] = []
    parts = (
        (tr("Drawing the prop"), _overview), (tr("Drawing the beds"), _beds), (tr("Drawing the pieces"), _pieces),
        (tr("Listing the stock"), _stock), (tr("Drawing the steps"), _assembly), (tr("Checking the seams"),
                                                                                  _finishing),
        (tr("Listing what to look at"), _warnings),
    )
    for done, (words, part) in enumerate(parts):
        step = job.part(done / len(parts), (done + 1) / len(parts))
        step.step(0.0, words)
        found += part(subject, step)
    return found


def _printers(subject: SheetSubject) -> str:
    """The printers that are used."""
    labels = dict.fromkeys(bed.printer.label for bed in subject.work.beds)
    return tr(" and ").join(labels) or subject.printer.label


def _loaded(subject: SheetSubject, printer: Printer) -> str:
    """The printer and the material of a bed, where they differ between beds."""
    made = {(bed.printer.name, bed.printer.material) for bed in subject.work.beds}
    names = [printer.name] if len({name for name, _ in made}) > 1 else []
    names += [printer.loads[0]] if len({material for _, material in made}) > 1 else []
    return _joined(*names)


def _joined(*words: str) -> str:
    return " · ".join(word for word in words if word)


def _so_many(count: int) -> str:
    return tr_many("{n} piece", "{n} pieces", count)


def _overview(subject: SheetSubject, job: Job) -> Iterator[Block]:
    outcome, work = subject.outcome, subject.work
    plan = outcome.plan
    yield Heading(subject.title, level=1)
    size = text.box(tuple(float(side) for side in outcome.spans[0]))  # type: ignore[arg-type]
    copies = (tr("{n} times", n=plan.copies),) if plan.copies > 1 else ()
    yield Words(" · ".join((tr("{size} as it stands", size=size), _so_many(outcome.totals.pieces), *copies,
                            tr("for {printers}", printers=_printers(subject)))))
    figures = [Figure(views.assembled(outcome, (_WIDE / 2, 82.0)), tr("Assembled"))]
    if len(outcome.pieces) > 1:
        figures.append(Figure(views.assembled(outcome, (_WIDE / 2, 82.0), apart=True),
                              tr("Pulled apart; cut faces are hatched")))
    yield DrawingRow(tuple(figures), 82.0)
    yield Heading(tr("The job"))
    rows = [
        (tr("Bed {bed}", bed=bed.bed + 1), _joined(_so_many(len(bed.pieces)), _loaded(subject, bed.printer)),
         text.hours(bed.seconds), text.grams(bed.material), text.money(bed.cost))
        for bed in work.beds
    ]
    shares = dict.fromkeys(f"{100 * bed.printer.failed_share:g} %" for bed in work.beds)
    share = tr(" or ").join(shares)
    rows.append((tr("Total"), _so_many(sum(len(bed.pieces) for bed in work.beds)), text.hours(work.seconds),
                 text.grams(work.material), text.money(work.cost)))
    materials = work.materials
    each = materials.items() if len(materials) > 1 else ()
    rows += [("", tr("including {name}", name=name), "", text.grams(of), "") for name, of in each]
    head = ("", "", tr("time"), tr("material"), tr("cost"))
    yield SheetTable(head, tuple(rows), (2, 3, 2, 2, 2), frozenset({2, 3, 4}), frozenset({len(work.beds)}))
    if len(work.beds) == 1:
        least = tr("one bed is enough")
    elif len(work.beds) <= work.least:
        least = tr("it needs at least this many")
    else:
        least = tr_many("by area alone it might fit on one bed", "by area alone it might fit on {n} beds",
                        work.least)
    several = len({bed.second for bed in work.beds}) > 1
    how = tr("With both printers at once it takes {time}", time=text.hours(work.elapsed)) if several else (
        tr("On one printer, one bed after the other")
    )
    yield Words(
        tr(
            "{how}; {least}. The longest piece alone takes {time}. Costs include {share} for failed prints, and are in "
            "the currency of the profile.",
            how=how,
            least=least,
            time=text.hours(work.longest),
            share=share,
        ),
        faint=True,
    )
    yield from _comparison(subject)


def _comparison(subject: SheetSubject) -> Iterator[Block]:
    """What this choice costs, compared with the others."""
    if len(subject.compared) < 2:
        return
    rows, problems = [], []
    for one in subject.compared:
        if one.totals is None or one.work is None:
            problems.append(tr("The figures of “{name}” are unknown: {problem}", name=one.name, problem=one.problem))
            continue
        t, work = one.totals, one.work
        rows.append((
            one.name, f"{t.pieces}", text.volume(t.support_volume_mm3), text.mm(t.seam_in_sight_mm),
            text.area(t.cut_area_mm2) if t.cut_area_mm2 else "–", f"{len(work.beds)}", text.hours(work.seconds),
            text.grams(work.material), text.money(work.cost),
        ))
    yield Heading(tr("Compared with the other choices"))
    yield SheetTable(
        ("", tr("pieces"), tr("support"), tr("seam in sight"), tr("to glue"), tr("beds"), tr("time"), tr("material"),
         tr("cost")), tuple(rows),
        (3.4, 1.2, 1.7, 1.8, 1.6, 1, 1.6, 1.6, 1.5), frozenset(range(1, 9)), frozenset({0}),
    )
    if problems:
        yield Points(tuple(problems))


def _beds(subject: SheetSubject, job: Job) -> Iterator[Block]:
    pieces, work = subject.outcome.pieces, subject.work
    yield Heading(tr("Beds"))
    cards = []
    for done, bed in enumerate(work.beds):
        job.step(done / len(work.beds), tr("Drawing bed {bed}", bed=bed.bed + 1))
        lies = [(str(pieces[subject.laid[n].piece].number), subject.laid[n]) for n in bed.pieces]
        drawing = views.bed(bed.printer, lies, (80.0, 62.0))
        numbers = ", ".join(_counted([number for number, _ in lies]))
        cards.append(Card(
            tr("Bed {bed}", bed=bed.bed + 1), (Figure(drawing),),
            (tr_many("Piece {numbers}", "Pieces {numbers}", len(lies), numbers=numbers),
             f"{text.hours(bed.seconds)} · {text.grams(bed.material)} · {text.money(bed.cost)}",
             *filter(None, (_loaded(subject, bed.printer),))), 62.0,
        ))
    yield Cards(tuple(cards), 2)
    yield Words(tr("Seen from above, the front edge of the bed below."), faint=True)


def _counted(numbers: Sequence[str]) -> Iterator[str]:
    """Each number once: "1", "2 (3 times)"."""
    for number in dict.fromkeys(numbers):
        many = numbers.count(number)
        yield tr("{number} ({many} times)", number=number, many=many) if many > 1 else number


def _pieces(subject: SheetSubject, job: Job) -> Iterator[Block]:
    outcome = subject.outcome
    yield Heading(tr("Pieces, in their seats"))
    yield Words(tr("Each is seen from the front and above, and from below. What lies on the bed is dotted, and cut "
                   "faces are hatched."),
                faint=True)
    firsts = first_equals(outcome.pieces)
    cards = []
    for number, piece in enumerate(outcome.pieces):
        job.step(number / len(outcome.pieces), tr("Drawing {name}", name=piece.name))
        if firsts[number] != number:
            continue
        alike = [outcome.pieces[n].number for n, first in enumerate(firsts) if first == number]
        figures = tuple(Figure(drawing) for drawing in views.seated(piece, (40.0, 40.0)))
        cards.append(Card(f"{piece.number}  {piece.name}", figures, _about_piece(subject, piece, alike), 40.0))
    yield Cards(tuple(cards), 2)


def _about_piece(subject: SheetSubject, piece: Piece, alike: Sequence[int]) -> tuple[str, ...]:
    f, outcome = piece.figures, subject.outcome
    mine = [one for one in subject.laid if one.piece + 1 in alike]
    beds = sorted({one.bed + 1 for one in mine})
    count = len(mine)
    same = ", ".join(str(number) for number in alike[1:])
    often = tr_many("print once", "print {n} times", count)
    often += tr_many(", also piece {numbers}", ", also pieces {numbers}", len(alike) - 1, numbers=same) if same else ""
    posts = sum(int(one.made.sum()) for one in outcome.posts.values() if one.piece == piece.number - 1)
    held = tr_many("{n} post, which touches {area}", "{n} posts, which touch {area}", posts,
                   area=text.area(f.touched_area_mm2)) if posts else (
        tr("support {volume}", volume=text.volume(f.support_volume_mm3)) if f.support_volume_mm3 >= 0.5
        else tr("no support")
    )
    flat = tr("sits flat on {area}", area=text.area(f.base_area_mm2)) if f.sits_flat else (
        tr("on posts or support") if piece.lift > 0 else tr("does not sit flat")
    )
    loaded = _loaded(subject, piece.on(subject.printer))
    made = (sentence(f"{loaded}."),) if loaded else ()
    fits = () if piece.fit.fits else (tr("Does not fit: {sentence}.", sentence=piece.fit.sentence()),)
    return (
        " · ".join((text.box(f.size_mm), often, tr_many("bed {numbers}", "beds {numbers}", len(beds),
                                                          numbers=", ".join(str(bed) for bed in beds)))),
        tr("{time} · {weight} each · {flat} · {held}", time=text.hours(f.print_seconds),
           weight=text.grams(f.material_g), flat=flat, held=held), *made, *fits,
    )


def _stock(subject: SheetSubject, job: Job) -> Iterator[Block]:
    outcome = subject.outcome
    copies = outcome.plan.copies
    loose = [piece for piece in outcome.pieces if piece.extra]
    found = rods(outcome)
    if not found and not loose:
        return
    yield Heading(tr("Stock to cut and have at hand"))
    rows = [
        (f"{rod.count * copies} ×", tr("rod of {diameter}", diameter=text.given(rod.diameter)),
         tr("{length} long", length=text.length(rod.length, 1))) for rod in found
    ] + [
        (f"{sum(one.piece == piece.number - 1 for one in subject.laid)} ×",
         tr("{extra}, printed: piece {number}", extra=piece.extra, number=piece.number),
         text.box(piece.figures.size_mm))
        for piece in loose
    ]
    yield SheetTable((tr("how many"), tr("item"), tr("size")), tuple(rows), (1, 4, 2))
    if found:
        long = sum(rod.count * copies * rod.length for rod in found)
        yield Words(
            tr(
                "{length} of rod in total, without the width of the saw cuts. At each end, rods are shorter than "
                "their holes by the clearance, so that they do not keep the faces apart.",
                length=text.mm(long),
            ),
            faint=True,
        )


def _assembly(subject: SheetSubject, job: Job) -> Iterator[Block]:
    outcome, moves = subject.outcome, subject.dry.moves
    if not moves:
        return
    yield Heading(tr("Putting it together"))
    yield Words(
        tr(
            "Put the pieces together in this order, first without glue. The pieces to add are drawn out of their "
            "place; the faces to glue are hatched."
        ),
        faint=True,
    )
    if outcome.joins:
        fitted = subject.printer.fitted or tr("from the profile; no coupon has been printed on this printer yet")
        yield Words(
            tr(
                "Clearance of keys and holes: {clearance} per side ({fitted}).",
                clearance=text.given(subject.printer.clearance),
                fitted=fitted,
            ),
            faint=True,
        )
    solids = [piece.solid for piece in outcome.pieces]
    cards = []
    for number, move in enumerate(moves):
        job.step(number / len(moves), tr("Drawing step {number}", number=number + 1))
        come, stay = (_listed([outcome.pieces[n].number for n in own]) for own in (move.pieces, move.onto))
        area = math.fsum(outcome.contacts[n].area for n in move.contacts)
        words = [
            tr_many("Glue {area} in {n} face.", "Glue {area} in {n} faces.", len(move.contacts), area=text.area(area))
        ]
        words += _joins_of(outcome, move.contacts)
        if move.meets is not None:
            a, b = (outcome.pieces[n].number for n in move.meets)
            words.append(
                tr("It catches: piece {a} meets piece {b} {length} before it is in "
                   "place.", a=a, b=b, length=text.mm(move.free))
            )
        place = np.mean([outcome.contacts[n].place for n in move.contacts], axis=0)
        held = holding(solids, move, place)
        if held.by_clamp:
            words.append(tr("Clamp it: {area} of flat faces lie opposite each other.", area=text.area(held.squeezed)))
        elif held.girth < math.inf:
            words.append(
                tr("Use a band or tape, {length} around, because no flat faces lie opposite each "
                   "other.", length=text.mm(held.girth))
            )
        figures = (Figure(views.step(outcome, move, (62.0, 48.0))),) if number < _MOST_STEPS_DRAWN else ()
        cards.append(
            Card(
                tr("{n}.  {pieces} onto {others}", n=number + 1, pieces=sentence(come), others=stay),
                figures,
                tuple(words),
                48.0,
                beside=True,
            )
        )
    yield Cards(tuple(cards), 1)
    corners = Counter(
        (len(one.contacts), text.length(one.likely, 2), text.length(one.worst, 2)) for one in subject.dry.meetings
    )
    if corners:
        yield Points(tuple(
            tr_many("{n} place where {seams} seams meet, and pieces may be off by {likely}, at worst {worst}.",
                    "{n} places where {seams} seams meet, and pieces may be off by {likely}, at worst {worst}.", count,
                    seams=seams, likely=likely, worst=worst)
            for (seams, likely, worst), count in corners.items()
        ))


def _listed(numbers: Sequence[int]) -> str:
    return tr_many("piece {numbers}", "pieces {numbers}", len(numbers), numbers=", ".join(str(one) for one in numbers))


def _joins_of(outcome: Outcome, contacts: Sequence[int]) -> list[str]:
    """What the joins at some contacts are."""
    on = frozenset(contacts)
    made = [
        join for join in outcome.plan.joins
        if join.id in outcome.joins and outcome.joins[join.id].contact in on and not outcome.joins[join.id].problem
        and join.holds
    ]
    words = []
    for join in made:
        apart = [piece.number for piece in outcome.pieces if any(side.cut == join.id for side in piece.sides)]
        words.append(f"{join.sentence()}{f': {_listed(apart)}' if apart else ''}.")
    words = [f"{many} × {one}" if many > 1 else sentence(one) for one, many in Counter(words).items()]
    put_in = rods(outcome, on)
    return [*words, tr("Put in {list}.", list=", ".join(rod.sentence() for rod in put_in))] if put_in else words


def _finishing(subject: SheetSubject, job: Job) -> Iterator[Block]:
    """The seams: where they show, and where sanding tools do not reach once they are closed."""
    outcome = subject.outcome
    rows = []
    for cut in outcome.plan.recipe:
        seam = outcome.seams.get(cut.id)
        if seam is None or seam.length < 0.05:
            continue
        shut = math.fsum(one.length for piece in subject.checked for one in piece.grooves if one.cut == cut.id)
        before = tr("{length} before gluing", length=text.mm(shut)) if shut >= 0.05 else tr("everything can be "
                                                                                            "reached")
        filled = text.mm(seam.in_sight) if seam.in_sight >= 0.05 else tr("none in sight")
        rows.append((cut.name, text.mm(seam.length), filled, before))
    if not rows:
        return
    yield Heading(tr("Filling and sanding"))
    yield SheetTable((tr("cut"), tr("seam"), tr("in sight, to fill"), tr("to sand with a tool of {file}",
                                                                 file=text.given(subject.printer.file))),
                tuple(rows), (3, 1.5, 2.5, 3), frozenset({1}))


def _warnings(subject: SheetSubject, job: Job) -> Iterator[Block]:
    notes = [note.says for note in subject.outcome.notes]
    both = list(zip(subject.checked, subject.outcome.pieces, strict=True))
    found = [line for checked, piece in both for line in _found_in(checked, piece.on(subject.printer), left=False)]
    left = [line for checked, piece in both for line in _found_in(checked, piece.on(subject.printer), left=True)]
    yield Heading(tr("Before you print"))
    if not (notes or found or left):
        yield Words(tr("Nothing was found that needs attention."))
    if notes or found:
        yield Points((*notes, *found), boxes=True)
    if left:
        yield Words(tr("Left on purpose:"))
        yield Points(tuple(left))


def _several(kind: str, n: int) -> str:
    """A count with the name of a kind of finding."""
    return {
        "island": tr_many("{n} island", "{n} islands", n), "pocket": tr_many("{n} pocket", "{n} pockets", n),
        "jump": tr_many("{n} jump", "{n} jumps", n), "neck": tr_many("{n} neck", "{n} necks", n),
        "thin wall": tr_many("{n} thin wall", "{n} thin walls", n),
    }[kind]


def _found_in(checked: Inspection, printer: Printer, *, left: bool) -> Iterator[str]:
    """The findings of a piece, or those left on purpose, a line for each kind."""
    if checked.problem and not left:
        yield tr("{name} could not be checked: {problem}", name=checked.name, problem=checked.problem)
    counted: list[Finding] = [
        *(checked.unheld if not left else checked.islands),
        *(one for one in checked.pockets if left or one.counts(printer)),
        *checked.jumps, *checked.necks, *checked.thin,
    ]
    kinds = dict.fromkeys(one.kind for one in counted)
    for kind in kinds:
        own = [one for one in counted if one.kind == kind and one.left == left]
        if not own:
            continue
        heights = sorted(one.at[2] for one in own)
        at = ", ".join(text.bare(height, 1) for height in heights[:_MOST_PLACES])
        more = tr(" and {count} more", count=len(heights) - _MOST_PLACES) if len(heights) > _MOST_PLACES else ""
        heights_said = f"{at}{more} {text.unit()}"
        yield tr("{piece}: {found}, {heights} above the bed.", piece=checked.name, found=_several(kind, len(own)),
                 heights=heights_said)
