"""The job: what printing a plan takes, bed by bed and in all."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ..judge.effort import layer_count
from ..outcome import Outcome, Piece
from ..printer import Printer
from .laid import Laid


@dataclass(frozen=True)
class BedJob:
    """One bed. bed : its number, from 0 on; pieces : numbers in the list of what is laid; material : g
    cost : of material and hours, in the currency of the profile"""

    bed: int
    pieces: tuple[int, ...]
    seconds: float
    material: float
    cost: float


@dataclass(frozen=True)
class PrintJob:
    """All beds. least : no fewer beds can hold the pieces; longest : seconds of the piece that takes longest, alone
    contacts : to be glued, or joined, for one copy; glue : mm2 of them; cost : with a share for prints that fail"""

    beds: tuple[BedJob, ...]
    least: int
    longest: float
    contacts: int
    glue: float
    cost: float

    @property
    def seconds(self) -> float:
        """On one printer, one bed after the other."""
        return math.fsum(bed.seconds for bed in self.beds)

    @property
    def material(self) -> float:
        """g"""
        return math.fsum(bed.material for bed in self.beds)


def job_of(outcome: Outcome, laid: Sequence[Laid], printer: Printer, least: int) -> PrintJob:
    """What printing takes, from the figures of the pieces. laid : see ``lay_out``; least : see ``least_beds``

    Filament: the time of the paths of all pieces on a bed, and what is lost at each layer once for all of them. Resin:
    as long as the tallest of them.
    """
    pieces = outcome.pieces
    beds = []
    for bed in range(1 + max((one.bed for one in laid), default=0)):
        own = tuple(n for n, one in enumerate(laid) if one.bed == bed)
        on_it = [pieces[n % len(pieces)] for n in own]
        seconds = bed_seconds(on_it, printer)
        material = math.fsum(piece.figures.material_g for piece in on_it)
        cost = material / 1000 * printer.material_price + seconds / 3600 * printer.hour_price
        beds.append(BedJob(bed, own, seconds, material, cost))
    return PrintJob(
        tuple(beds), least, max((piece.figures.print_seconds for piece in pieces), default=0.0),
        len(outcome.contacts), math.fsum(contact.area for contact in outcome.contacts),
        math.fsum(bed.cost for bed in beds) * (1 + printer.failed_share),
    )  # fmt: skip


def bed_seconds(pieces: Sequence[Piece], printer: Printer) -> float:
    """Of pieces that are printed together; see ``job_of``."""
    alone = [piece.figures.print_seconds for piece in pieces]
    if not alone:
        return 0.0
    if printer.kind == "resin":
        return max(alone)
    layers = [layer_count(piece.figures.height_mm, printer) for piece in pieces]
    return math.fsum(alone) - printer.layer_seconds * (sum(layers) - max(layers))
