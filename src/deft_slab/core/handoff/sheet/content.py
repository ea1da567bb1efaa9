"""What a sheet says."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator, Sequence

import numpy as np

from ... import text
from ...checked import Checked, Found
from ...outcome import Outcome, Piece
from ...printer import Printer
from ...progress import QUIET, Job
from ..equal import first_equals
from . import views
from .blocks import Block, Card, Cards, Figure, Figures, Heading, Points, Table, Words
from .holding import holding
from .stock import rods
from .subject import Subject

_MOST_STEPS_DRAWN = 60
_MOST_PLACES = 4
"""Heights at which something was found that are named; of more, how many."""
_WIDE = 170.0
"""mm that the drawings of a page may take."""


def blocks_of(subject: Subject, job: Job = QUIET) -> list[Block]:
    """All of a sheet, in order. Raises Cancelled."""
    found: list[Block] = []
    parts = (
        ("Drawing the prop", _overview), ("Drawing the beds", _beds), ("Drawing the pieces", _pieces),
        ("Listing the stock", _stock), ("Drawing the steps", _assembly), ("Looking at the seams", _finishing),
        ("Listing what to watch", _warnings),
    )  # fmt: skip
    for done, (words, part) in enumerate(parts):
        step = job.part(done / len(parts), (done + 1) / len(parts))
        step.step(0.0, words)
        found += part(subject, step)
    return found


def _printers(subject: Subject) -> str:
    """The printers that are used."""
    labels = dict.fromkeys(bed.printer.label for bed in subject.work.beds)
    return " and ".join(labels) or subject.printer.label


def _loaded(subject: Subject, printer: Printer) -> str:
    """The printer and the material of a bed, where not all are alike."""
    made = {(bed.printer.name, bed.printer.material) for bed in subject.work.beds}
    names = [printer.name] if len({name for name, _ in made}) > 1 else []
    names += [printer.loads[0]] if len({material for _, material in made}) > 1 else []
    return _joined(*names)


def _joined(*words: str) -> str:
    return " · ".join(word for word in words if word)


def _many(count: int, word: str) -> str:
    return f"{count} {word}{'s' if count != 1 else ''}"


def _overview(subject: Subject, job: Job) -> Iterator[Block]:
    outcome, work = subject.outcome, subject.work
    plan = outcome.plan
    yield Heading(subject.title, level=1)
    size = text.box(tuple(float(side) for side in outcome.spans[0]))  # type: ignore[arg-type]
    copies = f" · {plan.copies} times" if plan.copies > 1 else ""
    yield Words(f"{size} as it stands · {_many(outcome.totals.pieces, 'piece')}{copies} · for {_printers(subject)}")
    figures = [Figure(views.assembled(outcome, (_WIDE / 2, 82.0)), "Put together")]
    if len(outcome.pieces) > 1:
        figures.append(Figure(views.assembled(outcome, (_WIDE / 2, 82.0), apart=True),
                              "Pulled apart; cut faces are hatched"))  # fmt: skip
    yield Figures(tuple(figures), 82.0)
    yield Heading("The job")
    rows = [
        (f"Bed {bed.bed + 1}", _joined(_many(len(bed.pieces), "piece"), _loaded(subject, bed.printer)),
         text.hours(bed.seconds), text.grams(bed.material), f"{bed.cost:,.2f}")
        for bed in work.beds
    ]  # fmt: skip
    shares = dict.fromkeys(f"{100 * bed.printer.failed_share:g} %" for bed in work.beds)
    share = " or ".join(shares)
    rows.append(("In all", _many(sum(len(bed.pieces) for bed in work.beds), "piece"), text.hours(work.seconds),
                 text.grams(work.material), f"{work.cost:,.2f}"))  # fmt: skip
    materials = work.materials
    rows += [("", f"of that {name}", "", text.grams(of), "") for name, of in materials.items() if len(materials) > 1]
    yield Table(("", "", "time", "material", "cost"), tuple(rows), (2, 3, 2, 2, 2), frozenset({2, 3, 4}),
                frozenset({len(work.beds)}))  # fmt: skip
    least = f"fewer than {_many(work.least, 'bed')} cannot hold it" if len(work.beds) > 1 else "one bed is enough"
    several = len({bed.second for bed in work.beds}) > 1
    how = f"With both printers at once it takes {text.hours(work.elapsed)}" if several else (
        "On one printer, one bed after the other"
    )  # fmt: skip
    yield Words(f"{how}; {least}. The longest piece alone takes "
                f"{text.hours(work.longest)}. The cost in all has {share} more for prints that fail; it is in the "
                "currency of the profile.", faint=True)  # fmt: skip
    yield from _comparison(subject)


def _comparison(subject: Subject) -> Iterator[Block]:
    """What this choice costs, against the others."""
    if len(subject.compared) < 2:
        return
    rows, problems = [], []
    for one in subject.compared:
        if one.totals is None or one.work is None:
            problems.append(f"“{one.name}” cannot be told: {one.problem}")
            continue
        t, work = one.totals, one.work
        rows.append((
            one.name, f"{t.pieces}", text.volume(t.support_volume_mm3), text.mm(t.seam_in_sight_mm),
            text.area(t.cut_area_mm2) if t.cut_area_mm2 else "–", f"{len(work.beds)}", text.hours(work.seconds),
            text.grams(work.material), f"{work.cost:,.2f}",
        ))  # fmt: skip
    yield Heading("Against the other choices")
    yield Table(
        ("", "pieces", "support", "seam in sight", "to glue", "beds", "time", "material", "cost"), tuple(rows),
        (3.4, 1.2, 1.7, 1.8, 1.6, 1, 1.6, 1.6, 1.5), frozenset(range(1, 9)), frozenset({0}),
    )  # fmt: skip
    if problems:
        yield Points(tuple(problems))


def _beds(subject: Subject, job: Job) -> Iterator[Block]:
    pieces, work = subject.outcome.pieces, subject.work
    yield Heading("Beds")
    cards = []
    for done, bed in enumerate(work.beds):
        job.step(done / len(work.beds), f"Drawing bed {bed.bed + 1}")
        lies = [(str(pieces[subject.laid[n].piece].number), subject.laid[n]) for n in bed.pieces]
        drawing = views.bed(bed.printer, lies, (80.0, 62.0))
        numbers = ", ".join(_counted([number for number, _ in lies]))
        cards.append(Card(
            f"Bed {bed.bed + 1}", (Figure(drawing),),
            (f"Piece{'s' if len(lies) > 1 else ''} {numbers}",
             f"{text.hours(bed.seconds)} · {text.grams(bed.material)} · {bed.cost:,.2f}",
             *filter(None, (_loaded(subject, bed.printer),))), 62.0,
        ))  # fmt: skip
    yield Cards(tuple(cards), 2)
    yield Words("Seen from above, the front edge of the bed below.", faint=True)


def _counted(numbers: Sequence[str]) -> Iterator[str]:
    """Each once: "1", "2 (3 times)"."""
    for number in dict.fromkeys(numbers):
        many = numbers.count(number)
        yield f"{number} ({many} times)" if many > 1 else number


def _pieces(subject: Subject, job: Job) -> Iterator[Block]:
    outcome = subject.outcome
    yield Heading("Pieces, in their seats")
    yield Words("From before and above, and from below: what lies on the bed is dotted, cut faces are hatched.",
                faint=True)  # fmt: skip
    firsts = first_equals(outcome.pieces)
    cards = []
    for number, piece in enumerate(outcome.pieces):
        job.step(number / len(outcome.pieces), f"Drawing {piece.name}")
        if firsts[number] != number:
            continue
        alike = [outcome.pieces[n].number for n, first in enumerate(firsts) if first == number]
        figures = tuple(Figure(drawing) for drawing in views.seated(piece, (40.0, 40.0)))
        cards.append(Card(f"{piece.number}  {piece.name}", figures, _about_piece(subject, piece, alike), 40.0))
    yield Cards(tuple(cards), 2)


def _about_piece(subject: Subject, piece: Piece, alike: Sequence[int]) -> tuple[str, ...]:
    f, outcome = piece.figures, subject.outcome
    mine = [one for one in subject.laid if one.piece + 1 in alike]
    beds = sorted({one.bed + 1 for one in mine})
    count = len(mine)
    also = f", also piece {', '.join(str(number) for number in alike[1:])}" if len(alike) > 1 else ""
    often = "once" if count == 1 else f"{count} times"
    posts = sum(int(one.made.sum()) for one in outcome.posts.values() if one.piece == piece.number - 1)
    held = f"{_many(posts, 'post')}, of which {text.area(f.touched_area_mm2)} are touched" if posts else (
        f"support {text.volume(f.support_volume_mm3)}" if f.support_volume_mm3 >= 0.5 else "no support"
    )  # fmt: skip
    flat = f"sits flat on {text.area(f.base_area_mm2)}" if f.sits_flat else (
        "on posts or support" if piece.lift > 0 else "does not sit flat"
    )  # fmt: skip
    loaded = _loaded(subject, piece.on(subject.printer))
    made = (f"{loaded[0].upper()}{loaded[1:]}.",) if loaded else ()
    fits = () if piece.fit.fits else (f"Does not fit: {piece.fit.sentence()}.",)
    return (
        f"{text.box(f.size_mm)} · print {often}{also} · bed {', '.join(str(bed) for bed in beds)}",
        f"{text.hours(f.print_seconds)} · {text.grams(f.material_g)} each · {flat} · {held}", *made, *fits,
    )  # fmt: skip


def _stock(subject: Subject, job: Job) -> Iterator[Block]:
    outcome = subject.outcome
    copies = outcome.plan.copies
    loose = [piece for piece in outcome.pieces if piece.extra]
    found = rods(outcome)
    if not found and not loose:
        return
    yield Heading("To cut and to have at hand")
    rows = [
        (f"{rod.count * copies} ×", f"round stock of {rod.diameter:g} mm", f"{rod.length:.1f} mm long") for rod in found
    ] + [
        (f"{sum(one.piece == piece.number - 1 for one in subject.laid)} ×",
         f"{piece.extra}, printed: piece {piece.number}", text.box(piece.figures.size_mm))
        for piece in loose
    ]  # fmt: skip
    yield Table(("how many", "what", "size"), tuple(rows), (1, 4, 2))
    if found:
        long = sum(rod.count * copies * rod.length for rod in found)
        yield Words(f"{text.mm(long)} of round stock in all, without what the saw takes. Rods are a clearance shorter "
                    "at each end than their holes, so that they do not hold the faces apart.", faint=True)  # fmt: skip


def _assembly(subject: Subject, job: Job) -> Iterator[Block]:
    outcome, moves = subject.outcome, subject.dry.moves
    if not moves:
        return
    yield Heading("Putting it together")
    yield Words("In this order, first without glue. The pieces that come on are drawn out of their place; the faces "
                "that are glued are hatched.", faint=True)  # fmt: skip
    if outcome.joins:
        fitted = subject.printer.fitted or "from the profile; no coupon was printed for this printer yet"
        yield Words(f"Clearance of keys and holes: {subject.printer.clearance:g} mm per side ({fitted}).", faint=True)
    solids = [piece.solid for piece in outcome.pieces]
    cards = []
    for number, move in enumerate(moves):
        job.step(number / len(moves), f"Drawing step {number + 1}")
        come, stay = (_listed([outcome.pieces[n].number for n in own]) for own in (move.pieces, move.onto))
        area = math.fsum(outcome.contacts[n].area for n in move.contacts)
        words = [f"Glue {text.area(area)} in {_many(len(move.contacts), 'face')}."]
        words += _joins_of(outcome, move.contacts)
        if move.meets is not None:
            a, b = (outcome.pieces[n].number for n in move.meets)
            words.append(f"Catches: piece {a} meets piece {b} {text.mm(move.free)} before it is in.")
        place = np.mean([outcome.contacts[n].place for n in move.contacts], axis=0)
        held = holding(solids, move, place)
        if held.by_clamp:
            words.append(f"Clamp: {text.area(held.squeezed)} of flat faces lie opposite each other.")
        elif held.girth < math.inf:
            words.append(f"Band or tape: {text.mm(held.girth)} around; no flat faces lie opposite each other.")
        figures = (Figure(views.step(outcome, move, (62.0, 48.0))),) if number < _MOST_STEPS_DRAWN else ()
        cards.append(Card(f"{number + 1}.  {come.capitalize()} on to {stay}", figures, tuple(words), 48.0, beside=True))
    yield Cards(tuple(cards), 1)
    corners = Counter(
        f"{len(one.contacts)} seams meet, where pieces may be off by {one.likely:.2f} mm, at worst {one.worst:.2f} mm"
        for one in subject.dry.meetings
    )
    if corners:
        yield Points(tuple(f"{_many(count, 'place')} where {words}." for words, count in corners.items()))


def _listed(numbers: Sequence[int]) -> str:
    return "piece " + str(numbers[0]) if len(numbers) == 1 else "pieces " + ", ".join(str(one) for one in numbers)


def _joins_of(outcome: Outcome, contacts: Sequence[int]) -> list[str]:
    """What joins hold at some contacts."""
    on = frozenset(contacts)
    made = [
        join for join in outcome.plan.joins
        if join.id in outcome.joins and outcome.joins[join.id].contact in on and not outcome.joins[join.id].problem
        and join.holds
    ]  # fmt: skip
    words = []
    for join in made:
        apart = [piece.number for piece in outcome.pieces if any(side.cut == join.id for side in piece.sides)]
        sentence = join.sentence()
        words.append(f"{sentence[0].upper()}{sentence[1:]}{f': {_listed(apart)}' if apart else ''}.")
    counted = Counter(words)
    words = [f"{many} × {one[0].lower()}{one[1:]}" if many > 1 else one for one, many in counted.items()]
    put_in = rods(outcome, on)
    return [*words, f"Put in {', '.join(rod.sentence() for rod in put_in)}."] if put_in else words


def _finishing(subject: Subject, job: Job) -> Iterator[Block]:
    """Seams: where they show, and what no file gets at once they are closed."""
    outcome = subject.outcome
    rows = []
    for cut in outcome.plan.recipe:
        seam = outcome.seams.get(cut.id)
        if seam is None or seam.length < 0.05:
            continue
        shut = math.fsum(one.length for piece in subject.checked for one in piece.grooves if one.cut == cut.id)
        before = f"{text.mm(shut)} before gluing" if shut >= 0.05 else "all of it can be reached"
        filled = text.mm(seam.in_sight) if seam.in_sight >= 0.05 else "none in sight"
        rows.append((cut.name, text.mm(seam.length), filled, before))
    if not rows:
        return
    yield Heading("Filling and sanding")
    yield Table(("cut", "seam", "to fill, as it is seen", f"to sand with a file of {subject.printer.file:g} mm"),
                tuple(rows), (3, 1.5, 2.5, 3), frozenset({1}))  # fmt: skip


def _warnings(subject: Subject, job: Job) -> Iterator[Block]:
    notes = list(subject.outcome.notes)
    both = list(zip(subject.checked, subject.outcome.pieces, strict=True))
    found = [line for checked, piece in both for line in _found_in(checked, piece.on(subject.printer), left=False)]
    left = [line for checked, piece in both for line in _found_in(checked, piece.on(subject.printer), left=True)]
    yield Heading("Before you print")
    if not (notes or found or left):
        yield Words("Nothing was found that needs a look.")
    if notes or found:
        yield Points((*notes, *found), boxes=True)
    if left:
        yield Words("Left as it is on purpose:")
        yield Points(tuple(left))


def _found_in(checked: Checked, printer: Printer, *, left: bool) -> Iterator[str]:
    """What was found of a piece, or was left on purpose, one line for each kind."""
    if checked.problem and not left:
        yield f"{checked.name} could not be checked: {checked.problem}"
    counted: list[Found] = [
        *(checked.unheld if not left else checked.islands),
        *(one for one in checked.pockets if left or one.counts(printer)),
        *checked.jumps, *checked.necks, *checked.thin,
    ]  # fmt: skip
    kinds = dict.fromkeys(one.kind for one in counted)
    for kind in kinds:
        own = [one for one in counted if one.kind == kind and one.left == left]
        if not own:
            continue
        heights = sorted(one.at[2] for one in own)
        at = ", ".join(f"{height:.1f}" for height in heights[:_MOST_PLACES])
        more = f" and {len(heights) - _MOST_PLACES} more" if len(heights) > _MOST_PLACES else ""
        yield f"{checked.name}: {_many(len(own), kind)}, {at}{more} mm over the bed."
