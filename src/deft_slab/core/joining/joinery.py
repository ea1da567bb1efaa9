"""What is asked of the joins of a plan, made once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..cuts import Cut
from ..groups import Part
from ..joins import Join, LettersJoin
from ..kept import Kept
from ..outcome import Piece
from ..plan import MOST_JOINS, Plan
from ..printer import Printer
from ..progress import Job, Spread
from ..recipe import Stage
from ..reports import DryMove
from .contacts import Contact, contacts_of
from .joined import Joined, Taken, contact_for, join_all, made_on
from .lettering import propose_letters
from .order import moves_of
from .proposing import propose
from .room import ContactRoom


@dataclass(frozen=True, eq=False)
class Joinery:
    """kept : where things are; spread : see ``progress.Spread``"""

    kept: Kept
    spread: Spread

    def contacts(self, parts: list[Part], stages: Sequence[tuple[Cut, Stage]]) -> list[Contact]:
        """Where the pieces that some cuts have left meet."""
        ways = {cut.id: stage.report.lift for cut, stage in stages if cut.two_sided}
        kerfs = {cut.id: cut.kerf for cut, _ in stages}
        key = ("contacts", tuple(part.key for part in parts), tuple(ways.items()), tuple(kerfs.items()))
        return self.kept.once(key, lambda: contacts_of(parts, ways, kerfs))

    def room_of(
        self, join: Join, parts: list[Part], stages: Sequence[tuple[Cut, Stage]]
    ) -> tuple[int, ContactRoom] | None:
        """(the number of the contact that a join is on, the room there); None where it is on none."""
        contacts = self.contacts(parts, stages)
        number = contact_for(join, contacts)
        if number is None:
            return None
        key = ("room on", number, tuple(part.key for part in parts), tuple(cut.kerf for cut, _ in stages))
        return number, self.kept.once(key, lambda: ContactRoom.of(contacts[number]))

    def joined(
        self, plan: Plan, parts: list[Part], stages: Sequence[tuple[Cut, Stage]], printer: Printer, job: Job
    ) -> Joined:  # fmt: skip
        """The pieces with the joins of a plan. Raises Cancelled."""
        found = self.contacts(parts, stages)
        return join_all(parts, found, plan.joins, printer.clearance, printer.hole_allowance, self.kept, job)

    def dry_fit(
        self, plan: Plan, parts: list[Part], stages: Sequence[tuple[Cut, Stage]], printer: Printer, job: Job
    ) -> tuple[DryMove, ...]:  # fmt: skip
        """In which order the pieces go together, with their joins. Raises Cancelled."""
        joined = self.joined(plan, parts, stages, printer, job.part(0.0, 0.4))
        solids, cuts = [part.solid for part in joined.parts[: len(parts)]], [cut for cut, _ in stages]
        key = ("dry fit", tuple(part.key for part in joined.parts), tuple(cut.id for cut in cuts))
        return self.kept.once(key, lambda: moves_of(solids, joined.contacts, cuts, job.part(0.4, 1.0)))

    def proposed(
        self, plan: Plan, contacts: Sequence[Contact], pieces: Sequence[Piece], printer: Printer, only: int | None,
        job: Job,
    ) -> list[Join]:  # fmt: skip
        """Joins for the contacts that have none. pieces : without joins, in their seats; only : the number of the one
        contact that is meant. Raises Cancelled."""
        taken, on = self._taken(plan, contacts, printer)
        has = {number for number, join in on if join.answers}
        bare = [contact for n, contact in enumerate(contacts) if n not in has and only in (None, n)]
        return propose(bare, pieces, printer, plan.threshold, plan.fresh_join_ids(MOST_JOINS), taken, job,
                       self.spread)  # fmt: skip

    def lettered(self, plan: Plan, contacts: Sequence[Contact], printer: Printer, job: Job) -> list[Join]:
        """Numbers and letters for the contacts that have none and have room for them. Raises Cancelled."""
        taken, on = self._taken(plan, contacts, printer)
        has = {number for number, join in on if isinstance(join, LettersJoin)}
        bare = [contact for n, contact in enumerate(contacts) if n not in has]
        return propose_letters(bare, len(has), printer, plan.fresh_join_ids(len(bare)), taken, job)

    def _taken(self, plan: Plan, contacts: Sequence[Contact], printer: Printer) -> tuple[Taken, list[tuple[int, Join]]]:
        """(what the joins of a plan take of its pieces, (number of the contact, join) of each)."""
        taken, on = Taken(), list[tuple[int, Join]]()
        for join in plan.joins:
            number = contact_for(join, contacts) if join.on else None
            if number is None:
                continue
            on.append((number, join))
            made = made_on(contacts[number], join, printer.clearance, printer.hole_allowance).made
            if made is not None:
                taken.add(join, made, contacts[number])
        return taken, on
