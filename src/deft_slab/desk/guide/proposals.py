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
    does: str = tr("Go on")
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
        return Proposal(tr("Its file does not say its unit. In {unit} it is {size}: is that how large it is to "
                           "be?", unit=state.plan.unit, size=size), tr("That is right"),
                           state.sizing.answer_unit)
    if state.sizing.asking_fineness:
        return Proposal(tr("It has exact faces, made into triangles. It is {size}.", size=size), tr("Fine enough"),
                        state.sizing.answer_fineness)
    if not as_it_came:
        proposal = _bodies(state) or _specks(state)
        if proposal is not None:
            return proposal
    large = too_large(state)
    if large is not None and len(state.pieces) > 1:
        return Proposal(tr("{name} is too large for the {printer}: {over}. Cut parts it; or scale it here.",
                           name=text.quoted(large.name), printer=large.on(state.printer).name,
                           over=large.fit.sentence()), tr("Keep this size"))
    if large is None:
        return Proposal(
            tr("{size}: so large it fits the {name} as it is.", size=size, name=state.printer.name),
            tr("Keep this size"),
        )
    return Proposal(tr("{size}: too large for the {name} in one piece. Cut parts it; or scale it here.", size=size,
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
        said.append(tr("The file holds bodies that do not touch: pieces of their own are {names}.",
                       names=names["on its own"]))
    rods = sum(body.rods for body, one in zip(state.model.bodies, proposed, strict=True) if one == "left out")
    if rods:
        said.append(
            tr("{rods} slender rods end on one plane, as supports do that a file came with. Are they? Then they are "
               "left out.", rods=rods)
        )
    elif "left out" in names:
        said.append(tr("Left out, as it seems to be no part of the prop: {names}.", names=names["left out"]))
    if state.sizing.report is not None and state.sizing.report.specks:
        said.append(tr("Stray specks are left out too."))
    return Proposal(" ".join(said), tr("Take them so"), state.sizing.take_proposed_roles, tr("All in one piece"))


def _specks(state: DeskState) -> Proposal | None:
    """To leave out stray specks; None if there are none."""
    report = state.sizing.report
    if report is None or not report.specks:
        return None
    says = tr_many("A stray speck, {size} across, is in the file. It would be a piece of its own once it is cut.",
                   "{n:,} stray specks up to {size} across are in the file. Each would be a piece of its own once "
                   "it is cut.", report.specks, size=text.near(report.speck_size, 2))
    return Proposal(says, tr("Leave out"), state.sizing.leave_specks_out, tr("Keep"))


def on_tilt(state: DeskState) -> Proposal:
    seating = state.seating
    large = too_large(state)
    if len(state.pieces) > 1 and large is not None and not state.plan.recipe:
        return Proposal(tr("{name} is too large for the {printer}. Once it is parted, each piece gets a seat of "
                           "its own.", name=text.quoted(large.name), printer=large.on(state.printer).name),
                        tr("Leave them"))
    if len(state.pieces) > 1:
        return Proposal(tr("Each of its {count} pieces in its best seat, by what matters here.",
                           count=len(state.pieces)),
                        tr("Seat all pieces"), seating.seat_all, tr("Leave them"))
    piece, now = state.piece, seating.now
    if not seating.seats or piece is None or now is None:
        return Proposal(tr("All ways to sit are being looked at, for the best by what matters here …"), "",
                        otherwise=tr("Leave it as it sits"))
    best: SeatShown | None = next((one for one in seating.seats if one.seat.fit.fits), None)
    if best is None:
        return Proposal(
            tr("It fits the {name} in no seat as a whole. Once it is parted, each piece gets a seat of its own.",
               name=piece.on(state.printer).name), tr("Leave it as it sits"),
        )
    support = text.volume(best.seat.figures.support_volume_mm3)
    if float(np.array(best.seat.tilt.down) @ now) > _SAME:
        return Proposal(
            tr("It sits best as it is, by what matters here: {support} of support.", support=support),
            tr("Leave it so"),
        )
    kind = sentence(best.seat.kind)
    if best is not seating.seats[0] and tr("best that fits") not in best.seat.kind:
        kind += tr(", best that fits")
    elif best is seating.seats[0] and tr("best by what matters here") not in best.seat.kind:
        kind += tr(", best by what matters here")
    return Proposal(
        tr("{kind}: {gains}.", kind=kind, gains=", ".join(_gains(piece, best))),
        tr("Seat it this way"),
        lambda: seating.take(tr("take a proposed seat"), best.seat.tilt, best.seat.lift), tr("Leave it as it sits"),
    )


def on_cut(state: DeskState) -> Proposal:
    ways = state.ways
    if state.plan.recipe:
        return Proposal(tr("It is parted into {count} already.", count=len(state.pieces)), tr("Keep it so"))
    leave = tr("Leave it whole")
    if ways.problem:
        return Proposal(ways.problem, leave)
    found, best = ways.found, _best_way(ways.found)
    fits = too_large(state) is None
    good = fits and all(piece.figures.sits_flat for piece in state.pieces)
    if best is not None and (not good or best.left <= _WORTH_A_CUT):
        return _way(state, best)
    support = sum(piece.figures.support_volume_mm3 for piece in state.pieces)
    if good and support < _NO_SUPPORT:
        return Proposal(tr("It sits flat, fits and needs no support: there is nothing to gain by a cut."), leave)
    most = ways.wishes.pieces
    if found is not None and not fits and most < found.least_pieces <= _MOST_LOOKED_FOR:
        return _more(state, tr("It takes {least} pieces at least to fit the printer, and {most} are looked for.",
                               least=found.least_pieces, most=most), found.least_pieces)
    if found is None or not found.done:
        return Proposal(tr("Ways to part it are being looked for: little support, seams out of sight …"), "",
                        otherwise=leave)
    if good:
        return Proposal(tr("It sits flat and fits with {support} of support, and no way that was found leaves much "
                           "less.", support=text.volume(support)), leave)
    why = found.short_of or tr("No way to part it was found whose pieces all sit flat and fit.")
    if fits or most >= _MOST_LOOKED_FOR:
        return Proposal(why, leave)
    return _more(state, tr("{why} It is too large for the printer as it is.", why=why), 2 * most)


def _more(state: DeskState, why: str, pieces: int) -> Proposal:
    """To use more pieces, if so few do not fit.

    Parameters
    ----------
    pieces : int
        At least so many.
    """
    most = min(max(2 * state.ways.wishes.pieces, pieces), _MOST_LOOKED_FOR)
    return Proposal(why, tr("Look for up to {count} pieces", count=most),
                    lambda: state.ways.wish(pieces=most, must_fit=True), tr("Leave it whole"), stays=True)


def _way(state: DeskState, best: WayShown) -> Proposal:
    found = state.ways.found
    looking = "" if found is not None and found.done else tr(" Better ones are still looked for.")
    volume, left, length = text.volume(best.support), 100 * best.left, text.mm(best.sight)
    if best.all_flat:
        says = tr("{pieces} pieces, all flat: {volume} of support, which is {left:.2g} % of what it needs whole, and "
                  "{length} of seam in sight. The least support of all ways found whose pieces all sit flat and "
                  "fit.{looking}", pieces=best.pieces, volume=volume, left=left, length=length,
                  looking=looking)
    else:
        says = tr("{pieces} pieces that fit, of which {flat} sit flat: {volume} of support, which is {left:.2g} % of "
                  "what it needs whole, and {length} of seam in sight. The least support of all ways found that "
                  "fit.{looking}", pieces=best.pieces, flat=best.flat, volume=volume, left=left, length=length,
                  looking=looking)
    return Proposal(says, tr("Part it this way"), lambda: state.ways.take(best), tr("Leave it whole"))


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
        return Proposal(tr("It is one piece: there is nothing to join."))
    if not bare:
        return Proposal(tr("Every contact has its joins. The list says why each is as it is."))
    says = tr_many(
        "The contact has nothing that holds it in place yet: keys or rods, by the room there and by how the pieces "
        "sit, with {clearance} of clearance, as this printer needs.",
        "{n} contacts have nothing that holds them in place yet: keys or rods, by the room there and by how the "
        "pieces sit, with {clearance} of clearance, as this printer needs.", bare,
        clearance=text.given(state.printer.clearance),
    )
    return Proposal(says, tr("Propose joins"), joining.propose, tr("Glue alone"))


def on_check(state: DeskState) -> Proposal:
    if not state.checking.found or state.evaluated is None:
        return Proposal(tr("The layers are being looked at …"), "", otherwise=tr("Go on without"))
    from ...core.inspection.lines import lines_of  # with its panel, which the window is there before

    lines = lines_of(state.evaluated.outcome, state.checking.found, state.printer)
    counts = {verdict: sum(line.verdict == verdict for line in lines) for verdict in ("failed", "look")}
    bare = _without_posts(state, lines)
    if bare is not None:
        return Proposal(tr("“{name}” has islands, which nothing holds while they are printed: posts hold them.",
                           name=state.pieces[bare].name), tr("Put posts"), lambda: _put_posts(state, bare),
                           tr("Leave it so"))
    if any(counts.values()):
        return Proposal(tr("{failed} failed and {look} to look at: each line of the list flies there, and "
                           "says what helps.", failed=counts['failed'], look=counts['look']),
                           tr("Go on"))
    return Proposal(tr("Nothing was found that fails."))


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
    said = [tr("{support} of support; as it sits it is {here}", support=text.volume(new.support_volume_mm3),
               here=text.volume(old.support_volume_mm3))]
    if new.support_volume_mm3 < old.support_volume_mm3:
        return said
    if not piece.fit.fits:
        said.append(tr("it fits the printer so"))
    if new.sits_flat and not old.sits_flat:
        said.append(tr("it sits flat so"))
    if new.show_scar_mm2 < _LESS * old.show_scar_mm2:
        said.append(tr("{new} of scar on show faces instead of {old}", new=text.area(new.show_scar_mm2),
                       old=text.area(old.show_scar_mm2)))
    if new.touched_area_mm2 < _LESS * old.touched_area_mm2:
        said.append(tr("{new} touched instead of {old}", new=text.area(new.touched_area_mm2),
                       old=text.area(old.touched_area_mm2)))
    if new.largest_layer_mm2 < _LESS * old.largest_layer_mm2:
        said.append(tr("layers up to {new} instead of {old}", new=text.area(new.largest_layer_mm2),
                       old=text.area(old.largest_layer_mm2)))
    if new.print_seconds < _LESS * old.print_seconds:
        said.append(tr("{new} instead of {old}", new=text.hours(new.print_seconds), old=text.hours(old.print_seconds)))
    return said
