"""The job: what printing a plan takes, bed by bed and in total."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ..figures.print_time import layer_count
from ..printers.profile import Printer
from ..results.outcome import Outcome, Piece
from .layout import Laid, bed_printer


@dataclass(frozen=True)
class BedJob:
    """One bed.

    Attributes
    ----------
    bed : int
        The number of the bed, from 0 on.
    pieces : tuple[int, ...]
        Numbers in the list of what is laid out.
    material : float, g
    cost : float
        Material and hours, with a share for failed prints, in the currency of the profile.
    printer : Printer
        The printer, loaded with what is printed on it.
    second : bool
        Whether that is the second printer of the plan.
    """

    bed: int
    pieces: tuple[int, ...]
    seconds: float
    material: float
    cost: float
    printer: Printer
    second: bool = False


@dataclass(frozen=True)
class PrintJob:
    """All beds.

    Attributes
    ----------
    least : int
        A lower bound for the number of beds.
    longest : float
        The time of the piece that takes longest by itself, in seconds.
    contacts : int
        The number of contacts to be glued or joined, for one copy.
    glue : float, mm2
        The area of these.
    """

    beds: tuple[BedJob, ...]
    least: int
    longest: float
    contacts: int
    glue: float

    @property
    def cost(self) -> float:
        """The cost of all beds."""
        return math.fsum(bed.cost for bed in self.beds)

    @property
    def seconds(self) -> float:
        """The time on one printer, one bed after the other."""
        return math.fsum(bed.seconds for bed in self.beds)

    @property
    def elapsed(self) -> float:
        """The time until everything is printed, with each printer working on its own beds, in seconds."""
        return max(math.fsum(bed.seconds for bed in self.beds if bed.second == second) for second in (False, True))

    @property
    def materials(self) -> dict[str, float]:
        """The mass of each material in g, by its name; a material without a name is the usual one of its printer."""
        found: dict[str, float] = {}
        for bed in self.beds:
            name = bed.printer.loads[0]
            found[name] = found.get(name, 0.0) + bed.material
        return found

    @property
    def material(self) -> float:
        """The mass of all material in g."""
        return math.fsum(bed.material for bed in self.beds)


def job_of(outcome: Outcome, laid: Sequence[Laid], printer: Printer, least: int) -> PrintJob:
    """What printing takes, from the figures of the pieces.

    Filament: the time of the paths of all pieces on a bed, and the time lost at each layer once for all of them.
    Resin: as long as the tallest of them. On a sloped belt pieces follow each other, and no layer belongs to two.

    Parameters
    ----------
    laid : Sequence[Laid]
        See ``lay_out``.
    least : int
        See ``BedSearch``.
    """
    pieces = outcome.pieces
    beds = []
    for bed in range(1 + max((one.bed for one in laid), default=0)):
        own = tuple(n for n, one in enumerate(laid) if one.bed == bed)
        on_it = [pieces[laid[n].piece] for n in own]
        own_printer = bed_printer(pieces, laid, bed, printer)
        seconds = bed_seconds(on_it, own_printer)
        material = math.fsum(piece.figures.material_g for piece in on_it)
        printed = material / 1000 * own_printer.material_price + seconds / 3600 * own_printer.hour_price
        cost = printed * (1 + own_printer.failed_share)
        beds.append(BedJob(bed, own, seconds, material, cost, own_printer, any(piece.second for piece in on_it)))
    return PrintJob(
        tuple(beds), least, max((piece.figures.print_seconds for piece in pieces), default=0.0),
        len(outcome.contacts), math.fsum(contact.area for contact in outcome.contacts),
    )


def bed_seconds(pieces: Sequence[Piece], printer: Printer) -> float:
    """The time of pieces that are printed together, in seconds; see ``job_of``."""
    alone = [piece.figures.print_seconds for piece in pieces]
    if not alone:
        return 0.0
    if printer.kind == "resin":
        return max(alone)
    if printer.slope:
        return math.fsum(alone)  # they follow each other along the belt, and share no layers
    layers = [layer_count(piece.figures.height_mm, printer) for piece in pieces]
    return math.fsum(alone) - printer.layer_seconds * (sum(layers) - max(layers))
