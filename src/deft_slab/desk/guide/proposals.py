"""What the first job proposes at each step, with the reason."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ...core.document.base import triple
from ...core.inspection.findings import Island
from ...core.locale import text
from ...core.locale.translate import sentence, tr, tr_many
from ...core.results.outcome import Piece
from ..desk_state import DeskState
from ..messages.replies import SeatShown, WaysFound, WayShown

if TYPE_CHECKING:
    from ...core.inspection.lines import Line

_SAME = 0.999
"""Cosine between two ways to sit that are one."""
_WORTH_A_CUT = 0.9
"""What sits flat and fits is only parted where at most this share of its support is left: a seam has to be glued."""
_LESS = 0.98
"""Share of a figure that is worth saying to be less."""
_NO_SUPPORT = 1.0
"""mm3, under which there is none to speak of."""
_MOST_LOOKED_FOR = 24
"""Pieces, up to which more are looked for where what is too large cannot be parted into fewer."""


@dataclass(frozen=True)
class Proposal:
    """A proposal of the first job.

    Attributes
    ----------
    says : str
        What is proposed, and why.
    does : str
        The text of the button that accepts it; empty while there is nothing to accept yet.
    act : Callable[[], object] | None
        Carries it out; None: there is nothing to do, and the button only continues.
    otherwise : str
        The text of the button that continues without it; empty if there is none.
    stays : bool
        Whether there is more to propose at this step once it is accepted.
    """

    says: str
    does: str = tr("Continue")
    act: Callable[[], object] | None = None
    otherwise: str = ""
    stays: bool = False


def too_large(state: DeskState) -> Piece | None:
    """The first piece that does not fit its printer; None where all do."""
    return next((piece for piece in state.pieces if not piece.fit.fits), None)


def on_size(state: DeskState, *, as_it_came: bool) -> Proposal:
    """The proposal at Size.

    Parameters
    ----------
    as_it_came : bool
        Whether the bodies of the file were left as they are.
    """
    size = text.any_box(triple(state.sizing.size))
    if state.sizing.asking_unit:
        return Proposal(tr("The file does not state its unit. In {unit} the model is {size}. Is that the right "
                           "size?", unit=state.plan.unit, size=size), tr("Keep this size"),
                           state.sizing.answer_unit)
    if state.sizing.asking_fineness:
        return Proposal(tr("The file has exact surfaces, converted to triangles. The model is "
                           "{size}.", size=size), tr("Keep this "
                                                                                                    "fineness"),
                        state.sizing.answer_fineness)
    if not as_it_came:
        proposal = _bodies(state) or _specks(state)
        if proposal is not None:
            return proposal
    large = too_large(state)
    if large is not None and len(state.pieces) > 1:
        return Proposal(tr("{name} is too large for the {printer}: {over}. Cut it in the Cut step, or scale it "
                           "here.",
                           name=text.quoted(large.name), printer=large.on(state.printer).name,
                           over=large.fit.sentence()), tr("Keep this size"))
    if large is None:
        return Proposal(
            tr("The model is {size}. It fits the {name} uncut.", size=size, name=state.printer.name),
            tr("Keep this size"),
        )
    return Proposal(tr("The model is {size}, too large for the {name} in one piece. Cut it in the Cut step, or "
                       "scale it here.", size=size,
                       name=state.printer.name), tr("Keep this size"))


def _bodies(state: DeskState) -> Proposal | None:
    """What to do with the bodies of the file; None if nothing is better than all of them in one piece."""
    proposed = state.sizing.proposed_roles
    if not proposed:
        return None
    names = {role: ", ".join(text.quoted(body.name) for body, one in zip(state.model.bodies, proposed, strict=True)
                             if one == role) for role in set(proposed)}
    said = []
    if "on its own" in names:
        said.append(tr("The file contains bodies that do not touch. Separate pieces: {names}.",
                       names=names["on its own"]))
    rods = sum(body.rods for body, one in zip(state.model.bodies, proposed, strict=True) if one == "left out")
    if rods:
        said.append(
            tr("{rods} slender rods end on one plane, like supports that came with a file. If that is what they "
               "are, they are left out.", rods=rods)
        )
    elif "left out" in names:
        said.append(tr("Left out, because they do not seem to belong to the prop: {names}.", names=names["left out"]))
    if state.sizing.report is not None and state.sizing.report.specks:
        said.append(tr("Stray specks are left out as well."))
    return Proposal(" ".join(said), tr("Use this proposal"), state.sizing.take_proposed_roles, tr("Keep all in one "
                                                                                                  "piece"))


def _specks(state: DeskState) -> Proposal | None:
    """To leave out stray specks; None if there are none."""
    report = state.sizing.report
    if report is None or not report.specks:
        return None
    says = tr_many("The file contains a stray speck, {size} across. Once the model is cut it would be a separate "
                   "piece.",
                   "The file contains {n:,} stray specks, up to {size} across. Once the model is cut, each would "
                   "be a separate piece.", report.specks, size=text.near(report.speck_size, 2))
    return Proposal(says, tr("Leave out"), state.sizing.leave_specks_out, tr("Keep"))


def on_tilt(state: DeskState) -> Proposal:
    seating = state.seating
    large = too_large(state)
    if len(state.pieces) > 1 and large is not None and not state.plan.recipe:
        return Proposal(tr("{name} is too large for the {printer}. Once it is cut, each piece gets its own "
                           "seat.", name=text.quoted(large.name), printer=large.on(state.printer).name),
                        tr("Leave the seats"))
    if len(state.pieces) > 1:
        return Proposal(tr("Put each of the {count} pieces in its best seat, by what matters here.",
                           count=len(state.pieces)),
                        tr("Seat all pieces"), seating.seat_all, tr("Leave the seats"))
    piece, now = state.piece, seating.now
    if not seating.seats or piece is None or now is None:
        return Proposal(tr("Searching all seats for the best by what matters here …"), "",
                        otherwise=tr("Keep the present seat"))
    best: SeatShown | None = next((one for one in seating.seats if one.seat.fit.fits), None)
    if best is None:
        return Proposal(
            tr("In one piece the model does not fit the {name} in any seat. Once it is cut, each piece gets its "
               "own seat.",
               name=piece.on(state.printer).name), tr("Keep the present seat"),
        )
    support = text.volume(best.seat.figures.support_volume_mm3)
    if float(np.array(best.seat.tilt.down) @ now) > _SAME:
        return Proposal(
            tr("The present seat is the best by what matters here, with {support} of support.", support=support),
            tr("Keep this seat"),
        )
    kind = sentence(best.seat.kind)
    if best is not seating.seats[0] and tr("best that fits") not in best.seat.kind:
        kind += tr(", best that fits")
    elif best is seating.seats[0] and tr("best by what matters here") not in best.seat.kind:
        kind += tr(", best by what matters here")
    return Proposal(
        tr("{kind}: {gains}.", kind=kind, gains=", ".join(_gains(piece, best))),
        tr("Seat it this way"),
        lambda: seating.take(tr("take a proposed seat"), best.seat.tilt, best.seat.lift), tr("Keep the present seat"),
    )


def on_cut(state: DeskState) -> Proposal:
    ways = state.ways
    if state.plan.recipe:
        return Proposal(tr("The model is already cut into {count}.", count=len(state.pieces)), tr("Keep these cuts"))
    leave = tr("Leave it uncut")
    if ways.problem:
        return Proposal(ways.problem, leave)
    found, best = ways.found, _best_way(ways.found)
    fits = too_large(state) is None
    good = fits and all(piece.figures.sits_flat for piece in state.pieces)
    if best is not None and (not good or best.left <= _WORTH_A_CUT):
        return _way(state, best)
    support = sum(piece.figures.support_volume_mm3 for piece in state.pieces)
    if good and support < _NO_SUPPORT:
        return Proposal(tr("The model sits flat, fits the printer and needs no support, so a cut would gain "
                           "nothing."), leave)
    most = ways.wishes.pieces
    if found is not None and not fits and most < found.least_pieces <= _MOST_LOOKED_FOR:
        return _more(state, tr("It takes at least {least} pieces to fit the printer, but the search allows only "
                               "{most}.",
                               least=found.least_pieces, most=most), found.least_pieces)
    if found is None or not found.done:
        return Proposal(tr("Searching for cuts that need little support and hide their seams …"), "",
                        otherwise=leave)
    if good:
        return Proposal(tr("The model sits flat and fits the printer with {support} of support. No plan that was "
                           "found needs much less.", support=text.volume(support)), leave)
    why = found.short_of or tr("No plan was found whose pieces all sit flat and fit the printer.")
    if fits or most >= _MOST_LOOKED_FOR:
        return Proposal(why, leave)
    return _more(state, tr("{why} Uncut, the model is too large for the printer.", why=why), 2 * most)


def _more(state: DeskState, why: str, pieces: int) -> Proposal:
    """To use more pieces, if so few do not fit.

    Parameters
    ----------
    pieces : int
        At least so many.
    """
    most = min(max(2 * state.ways.wishes.pieces, pieces), _MOST_LOOKED_FOR)
    return Proposal(why, tr("Allow up to {count} pieces", count=most),
                    lambda: state.ways.wish(pieces=most, must_fit=True), tr("Leave it uncut"), stays=True)


def _way(state: DeskState, best: WayShown) -> Proposal:
    found = state.ways.found
    looking = "" if found is not None and found.done else tr(" The search for better plans continues.")
    volume, left, length = text.volume(best.support), 100 * best.left, text.mm(best.sight)
    if best.all_flat:
        says = tr("{pieces} pieces, all flat: {volume} of support, which is {left:.2g} % of what the uncut model "
                  "needs, and {length} of seam in sight. Of all plans found whose pieces sit flat and fit, this "
                  "one needs the least support.{looking}", pieces=best.pieces, volume=volume, left=left, length=length,
                  looking=looking)
    else:
        says = tr("{pieces} pieces that fit, of which {flat} sit flat: {volume} of support, which is {left:.2g} % "
                  "of what the uncut model needs, and {length} of seam in sight. Of all plans found that fit, this "
                  "one needs the least support.{looking}", pieces=best.pieces, flat=best.flat, volume=volume, left=left,
                  length=length, looking=looking)
    return Proposal(says, tr("Cut it this way"), lambda: state.ways.take(best), tr("Leave it uncut"))


def _best_way(found: WaysFound | None) -> WayShown | None:
    """The way with the least support among those fully measured whose pieces all fit and sit flat; once the search
    has ended without one, among those whose pieces fit.
    """
    fit = [way for way in found.ways if way.cuts and not way.near and way.all_fit] if found else []
    flat = [way for way in fit if way.all_flat]
    fine = flat or (fit if found is not None and found.done else [])
    return min(fine, key=lambda way: way.support, default=None)


def on_join(state: DeskState) -> Proposal:
    joining = state.joining
    bare = sum(not joining.joins_of(number) for number in range(len(joining.contacts)))
    if not joining.contacts:
        return Proposal(tr("The model is one piece, so there is nothing to join."))
    if not bare:
        return Proposal(tr("Every contact has joins. The list explains each of them."))
    says = tr_many(
        "Nothing holds the contact in place yet. Keys or rods are proposed, depending on the room there and on how "
        "the pieces sit, with the {clearance} of clearance that this printer needs.",
        "Nothing holds {n} contacts in place yet. Keys or rods are proposed, depending on the room there and on "
        "how the pieces sit, with the {clearance} of clearance that this printer needs.", bare,
        clearance=text.given(state.printer.clearance),
    )
    return Proposal(says, tr("Propose joins"), joining.propose, tr("Use glue only"))


def on_check(state: DeskState) -> Proposal:
    if not state.checking.found or state.evaluated is None:
        return Proposal(tr("Checking the layers …"), "", otherwise=tr("Continue without"))
    from ...core.inspection.lines import lines_of  # with its panel, which the window is there before

    lines = lines_of(state.evaluated.outcome, state.checking.found, state.printer)
    counts = {verdict: sum(line.verdict == verdict for line in lines) for verdict in ("failed", "look")}
    bare = _without_posts(state, lines)
    if bare is not None:
        return Proposal(tr("“{name}” has islands that nothing holds while they are printed. Support posts will "
                           "hold them.",
                           name=state.pieces[bare].name), tr("Add posts"), lambda: _put_posts(state, bare),
                           tr("Keep this seat"))
    if any(counts.values()):
        return Proposal(tr("{failed} failed and {look} to look at. Click a line of the list to see the place and "
                           "what helps.", failed=counts['failed'], look=counts['look']),
                           tr("Continue"))
    return Proposal(tr("Nothing failed."))


def _without_posts(state: DeskState, lines: Sequence[Line]) -> int | None:
    """The number of a resin piece that has islands and no posts yet; None if there is none."""
    posted = {report.piece for report in state.evaluated.outcome.posts.values()} if state.evaluated else set()
    for line in lines:
        number = line.number
        if line.verdict != "failed" or not isinstance(line.found, Island) or number is None or number in posted:
            continue
        if state.pieces[number].on(state.printer).kind == "resin":
            return number
    return None


def _put_posts(state: DeskState, number: int) -> None:
    state.select_piece(number)
    state.posting.propose()


def _gains(piece: Piece, best: SeatShown) -> list[str]:
    """Why a seat is better than the present one: by its support, and if that is no less, by what else matters."""
    old, new = piece.figures, best.seat.figures
    said = [tr("{support} of support instead of {here}", support=text.volume(new.support_volume_mm3),
               here=text.volume(old.support_volume_mm3))]
    if new.support_volume_mm3 < old.support_volume_mm3:
        return said
    if not piece.fit.fits:
        said.append(tr("it then fits the printer"))
    if new.sits_flat and not old.sits_flat:
        said.append(tr("it then sits flat"))
    if new.show_scar_mm2 < _LESS * old.show_scar_mm2:
        said.append(tr("{new} of scar on show faces instead of {old}", new=text.area(new.show_scar_mm2),
                       old=text.area(old.show_scar_mm2)))
    if new.touched_area_mm2 < _LESS * old.touched_area_mm2:
        said.append(tr("{new} touched instead of {old}", new=text.area(new.touched_area_mm2),
                       old=text.area(old.touched_area_mm2)))
    if new.largest_layer_mm2 < _LESS * old.largest_layer_mm2:
        said.append(tr("a largest layer of {new} instead of {old}", new=text.area(new.largest_layer_mm2),
                       old=text.area(old.largest_layer_mm2)))
    if new.print_seconds < _LESS * old.print_seconds:
        said.append(tr("{new} instead of {old}", new=text.hours(new.print_seconds), old=text.hours(old.print_seconds)))
    return said
