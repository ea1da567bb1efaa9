"""Check: what is sure about this plan, and what to look at before printing."""

from __future__ import annotations

import math

from ...core.outcome import Outcome
from ..whole import DeskState
from ..widgets import text
from ..widgets.parts import emptied, label, line, row
from .listing import ListPanel


def findings(outcome: Outcome) -> list[tuple[bool, str, str]]:
    """(fine, what, detail) of each thing that was checked."""
    pieces, totals = outcome.pieces, outcome.totals
    found = []
    open_pieces = [piece.name for piece in pieces if not piece.figures.closed]
    if open_pieces:
        found.append((False, "Not closed", ", ".join(open_pieces)))
    else:
        found.append((True, "Closed", "every piece encloses a volume"))
    off = outcome.lost_share
    if off is not None and outcome.volume_before_mm3 is not None and not open_pieces:
        after = sum(piece.figures.volume_mm3 or 0.0 for piece in pieces)
        parts = [f"{text.volume(after)} in {len(pieces)}"]
        parts += [f"{text.volume(outcome.kerf_mm3)} of kerf"] if outcome.kerf_mm3 > 0 else []
        parts += [f"{text.volume(outcome.set_aside_mm3)} set aside"] if outcome.set_aside_mm3 > 0 else []
        if outcome.joins_mm3:
            joins = outcome.joins_mm3
            parts += [f"{'−' if joins > 0 else ''}{text.volume(abs(joins))} of joins"]
        detail = f"{' + '.join(parts)} of {text.volume(outcome.volume_before_mm3)}; off by {off:.0e}"
        found.append((off <= 1e-6, "Nothing lost" if off <= 1e-6 else "Volume lost or gained", detail))
    found += _about_joins(outcome)
    for piece in pieces:
        f = piece.figures
        detail = f"{text.area(f.base_area_mm2)} on the bed, tips at {text.degrees(f.tipping_deg)}"
        found.append(
            (f.sits_flat, f"{piece.name} sits flat" if f.sits_flat else f"{piece.name} does not sit flat", detail)
        )
        turn = f"turned by {text.degrees(piece.fit.yaw)}" if piece.fit.yaw else "as it lies"
        found.append((piece.fit.fits, f"{piece.name} {'fits' if piece.fit.fits else 'does not fit'} the printer",
                      turn if piece.fit.fits else piece.fit.sentence()))  # fmt: skip
    share = totals.support_inside_mm3 / totals.support_volume_mm3 if totals.support_volume_mm3 > 0 else 0.0
    hidden = f"{text.volume(totals.support_inside_mm3)} ({100 * share:.0f} %) stands where hardly a ray gets out"
    found.append(
        (share < 0.05, "Support that can be taken out" if share < 0.05 else "Support hard to take out", hidden)
    )
    found.extend((False, "Look here", note) for note in outcome.notes)
    return found


def _about_joins(outcome: Outcome) -> list[tuple[bool, str, str]]:
    """Whether all joins are made, and whether every contact has one."""
    totals = outcome.totals
    if not totals.contacts:
        return []
    failed = [report for report in outcome.joins.values() if report.problem]
    found = []
    if outcome.joins:
        made = len(outcome.joins) - len(failed)
        wall = (
            f", wall around them {text.wall(totals.least_wall_mm)} or more"
            if math.isfinite(totals.least_wall_mm)
            else ""
        )
        found.append((not failed, "All joins are made" if not failed else "Joins that are not made",
                      f"{made} of {len(outcome.joins)} made{wall}"))  # fmt: skip
    with_join = {report.contact for report in outcome.joins.values() if not report.problem}
    bare = totals.contacts - len(with_join - {None})
    found.append((not bare, "Every contact has a join" if not bare else "Contacts without a join",
                  f"{totals.contacts - bare} of {totals.contacts}; “glue only” counts"))  # fmt: skip
    return found


class CheckPanel(ListPanel):
    def __init__(self, state: DeskState) -> None:
        super().__init__(state, "What was checked")

    def refresh(self) -> None:
        emptied(self.entries)
        if self.state.evaluated is None:
            self.entries.addWidget(label("Open a model, and what can be checked is listed here.", "faint", wrap=True))
            return
        for fine, what, detail in findings(self.state.evaluated.outcome):
            self.entries.addLayout(row(label("✓" if fine else "!", "good" if fine else "look"), label(what), 1))
            self.entries.addWidget(label(detail, "faint" if fine else "look", wrap=True))
            self.entries.addWidget(line())
