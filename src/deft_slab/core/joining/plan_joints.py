"""Everything about the joins of a plan, cached."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..cache import Cache
from ..cuts import Cut
from ..joins import Join, LettersJoin
from ..joins.reports import DryFit
from ..locale.translate import tr
from ..parting.apply_cuts import Stage
from ..parting.bodies import Part
from ..plan.plan import MOST_JOINS, Plan
from ..printers.profile import Printer
from ..progress import Job, Spread, for_each
from ..results.outcome import Piece
from .apply_joins import Taken, contact_for, join_all, made_once
from .assembly_order import moves_of
from .contact_proposal import USUAL_DEPTH
from .contacts import Contact, contacts_of
from .equal_contacts import among, orbits_of
from .joined import Joined
from .lettering import propose_letters
from .meeting_points import meetings_of
from .needs import Needs
from .pivot_range import turns_of
from .propose import propose
from .room import ContactRoom


@dataclass(frozen=True, eq=False)
class Joinery:
    """Answers questions about the joins of a plan, and caches the answers.

    Attributes
    ----------
    kept : Cache
        The cache.
    spread : Spread
        See ``progress.Spread``.
    """

    kept: Cache
    spread: Spread

    def contacts(self, parts: list[Part], stages: Sequence[tuple[Cut, Stage]]) -> list[Contact]:
        """The contacts where the pieces that some cuts have left meet."""
        ways = {cut.id: stage.report.lift for cut, stage in stages if cut.two_sided}
        kerfs = {cut.id: cut.kerf for cut, _ in stages}
        key = ("contacts", tuple(part.key for part in parts), tuple(ways.items()), tuple(kerfs.items()))
        return self.kept.once(key, lambda: contacts_of(parts, ways, kerfs))

    def room_of(
        self, join: Join, parts: list[Part], stages: Sequence[tuple[Cut, Stage]]
    ) -> tuple[int, ContactRoom] | None:
        """The number of the contact that a join is on, and the room there; None if it is on none."""
        contacts = self.contacts(parts, stages)
        number = contact_for(join, contacts)
        if number is None:
            return None
        return number, self._room(contacts[number])

    def _room(self, contact: Contact) -> ContactRoom:
        """The room on a contact, before any join."""
        key = ("room on", contact.keys, contact.cut, contact.kerf, tuple(contact.place))
        return self.kept.once(key, lambda: ContactRoom.of(contact))

    def joined(
        self, plan: Plan, parts: list[Part], stages: Sequence[tuple[Cut, Stage]], printer: Printer, job: Job
    ) -> Joined:
        """The pieces with the joins of a plan.

        Raises
        ------
        Cancelled
            The job is no longer wanted.
        """
        found = self.contacts(parts, stages)
        return join_all(parts, found, plan.joins, printer.clearance, printer.hole_allowance, self.kept, job)

    def dry_fit(
        self, plan: Plan, parts: list[Part], stages: Sequence[tuple[Cut, Stage]], printer: Printer, job: Job
    ) -> DryFit:
        """How the pieces go together, with their joins.

        Raises
        ------
        Cancelled
            The job is no longer wanted.
        """
        joined = self.joined(plan, parts, stages, printer, job.part(0.0, 0.4))
        solids, cuts = [part.solid for part in joined.parts[: len(parts)]], [cut for cut, _ in stages]
        key = ("dry fit", tuple(part.key for part in joined.parts), tuple(cut.id for cut in cuts))
        moves = self.kept.once(key, lambda: moves_of(solids, joined.contacts, cuts, job.part(0.4, 0.7)))
        reports = [(ident, one) for ident, one in joined.reports.items() if not one.problem]
        axes = tuple((ident, one.turn) for ident, one in reports if one.turn is not None)
        turns = self.kept.once(("turned", axes, *key), lambda: turns_of(joined, solids, job.part(0.7, 1.0)))
        errors = dict[int, float]()
        for _, one in reports:
            if one.contact is not None and one.holds:
                errors[one.contact] = max(errors.get(one.contact, 0.0), one.clearance)
        met = ("met", tuple(part.key for part in parts), tuple(errors.items()), printer.clearance)
        meetings = self.kept.once(met, lambda: meetings_of(joined.contacts, errors, printer.clearance))
        return DryFit(moves, turns, meetings)

    def proposed(
        self, plan: Plan, contacts: Sequence[Contact], pieces: Sequence[Piece], printer: Printer, only: int | None,
        stock: Sequence[float], job: Job,
    ) -> list[Join]:
        """Joins for the contacts that have none.

        Parameters
        ----------
        pieces : Sequence[Piece]
            The pieces without joins, in their seats.
        only : int
            The number of the one contact to propose for; None: all.
        stock : sequence of float, mm
            The diameters of the rods at hand.

        Raises
        ------
        Cancelled
            The job is no longer wanted.
        """
        taken, on = self._taken(plan, contacts, printer)
        has = {number for number, join in on if join.answers}
        numbers = [n for n in range(len(contacts)) if n not in has and only in (None, n)]
        bare = [contacts[n] for n in numbers]
        deep = USUAL_DEPTH + printer.least_wall
        rooms = for_each(lambda one: self._room(one).looked_into(deep), bare, tr("Measuring the room"), job.part(0.0,
                0.4),
                         self.spread)
        ids = plan.fresh_join_ids(MOST_JOINS)
        orbits = among(orbits_of(contacts, pieces), numbers)
        return propose(bare, rooms, orbits, pieces, Needs(printer, plan.threshold, stock), ids, taken, self.kept,
                       job.part(0.4, 1.0))

    def lettered(self, plan: Plan, contacts: Sequence[Contact], printer: Printer, job: Job) -> list[Join]:
        """Numbers and letters for the contacts that have none but have room for them.

        Raises
        ------
        Cancelled
            The job is no longer wanted.
        """
        taken, on = self._taken(plan, contacts, printer)
        has = {number for number, join in on if isinstance(join, LettersJoin)}
        bare = [contact for n, contact in enumerate(contacts) if n not in has]
        return propose_letters(bare, self._room, len(has), printer, plan.fresh_join_ids(len(bare)), taken,
                               plan.tilt.rotation, self.kept, job)

    def _taken(self, plan: Plan, contacts: Sequence[Contact], printer: Printer) -> tuple[Taken, list[tuple[int, Join]]]:
        """The space that the joins of a plan take up, and the joins with the numbers of their contacts."""
        taken, on = Taken(), list[tuple[int, Join]]()
        for join in plan.joins:
            number = contact_for(join, contacts) if join.on else None
            if number is None:
                continue
            on.append((number, join))
            made = made_once(contacts[number], join, printer.clearance, printer.hole_allowance, self.kept).made
            if made is not None:
                taken.add(join, made, contacts[number])
        return taken, on
