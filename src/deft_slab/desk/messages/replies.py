"""What the worker process replies. Light to load, for the window loads it before anything heavy."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from ...core.arrays import Bools, Bytes, Floats, Floats32, Ints, Ints32
from ...core.cuts import Cut
from ...core.exporting.layout import Laid
from ...core.exporting.print_job import PrintJob
from ...core.mesh.solid import Solid
from ...core.plan.model import Model
from ...core.plan.plan import Mending, Plan, Unit
from ...core.plan.project import Project
from ...core.printers.profile import Printer
from ...core.results.outcome import Outcome
from ...core.search.results import CountsPieces, MapFigures, WorthTrying


@dataclass(frozen=True, eq=False)
class Evaluated:
    """What the desk needs to show a plan.

    Attributes
    ----------
    picture : (height, width, 4) uint8
    printer : Printer
        What it is judged by; work : what printing it takes.
    clashes : tuple[tuple[int, int], ...]
        Of what is laid, see ``collisions``.
    """

    outcome: Outcome
    printer: Printer
    laid: tuple[Laid, ...]
    picture: Bytes | None
    work: PrintJob | None = None
    clashes: tuple[tuple[int, int], ...] = ()

    def printer_of(self, bed: int) -> Printer:
        """The printer of a bed, by its number, loaded with what is printed on it; of one that is empty the first."""
        return self._printers.get(bed, self.printer)

    @cached_property
    def _printers(self) -> dict[int, Printer]:
        """Of each bed on which something lies."""
        return {one.bed: self.outcome.pieces[one.piece].on(self.printer) for one in reversed(self.laid)}

    def of(self, plan: Plan | None, printer: Printer) -> bool:
        """Whether it is of a plan on a printer."""
        return self.outcome.plan == plan and self.printer == printer


@dataclass(frozen=True, eq=False)
class Fetched:
    """A model that was opened, and its project if it came with one.

    Attributes
    ----------
    guests : dict[str, Solid]
        Surfaces of the project's guests, by content hash.
    advice : Mending
        The mending that the surface needs.
    outline : (rows, columns) bool
        The model seen from the front.
    unit : Unit
        As stated in the file, else the likeliest.
    exact : bool
        The file holds exact faces, drawn at ``fineness`` mm.
    """

    path: Path
    model: Model
    project: Project | None
    guests: dict[str, Solid]
    advice: Mending
    outline: Bools
    unit: Unit
    exact: bool
    fineness: float


@dataclass(frozen=True, eq=False)
class Light:
    """A piece with few triangles, for drawing it while something moves.

    Attributes
    ----------
    vertices : (n, 3) float64, mm, model frame
    triangles : (m, 3) int32
    alike : (m,) int64
        For each the facet of the piece that is nearest, whose colour it has.
    """

    vertices: Floats
    triangles: Ints32
    alike: Ints


@dataclass(frozen=True, eq=False)
class Walls:
    """Attributes
    ----------
    behind : (m,), mm
        Of wall behind each facet of each piece.
    thinnest : float, mm
        That at least 1 mm² has behind it.
    """

    behind: tuple[Floats32, ...]
    thinnest: float


@dataclass(frozen=True, eq=False)
class MapRound:
    """A round of directions of the tilt map.

    Attributes
    ----------
    flats : (k, 3) float64
        Down directions of large flats and of facets of the hull.
    more : bool
        Further rounds refine it.
    """

    figures: MapFigures
    flats: Floats
    more: bool


@dataclass(frozen=True, eq=False)
class SeatShown:
    """Attributes
    ----------
    picture : (height, width, 4) uint8
    """

    seat: WorthTrying
    picture: Bytes


@dataclass(frozen=True, eq=False)
class SeatsFound:
    """Seats worth trying of a piece, best first;

    Attributes
    ----------
    figures : MapFigures
        Of all that was looked at.
    """

    seats: tuple[SeatShown, ...]
    figures: MapFigures


@dataclass(frozen=True, eq=False)
class RoomShown:
    """The room for a join on its contact.

    Attributes
    ----------
    join : str
        Its id.
    contact : int
        Its number.
    low : (2,) float64, mm
        Across, the middle of the first cell.
    step : float, mm
    reach : float, mm
        That the join takes around its place.
    enough, bare : (rows, columns) float32, mm
        The largest reach around each cell with the wall that the printer needs, and with none; -inf beside the
        contact.
    """

    join: str
    contact: int
    low: Floats
    step: float
    reach: float
    enough: Floats32
    bare: Floats32


@dataclass(frozen=True, eq=False)
class WayShown(CountsPieces):
    """A way to part a piece, as ``search.found.Way`` has it, without its pieces.

    Attributes
    ----------
    left : float
        Share of the support of what is parted, as it sits now.
    seams : (k, 2, 3) float64, mm, model frame
    names : tuple[str, ...]
        Of the pieces, with how each sits.
    beds : int
        That they take.
    seconds : float
        Of printing.
    picture : array of uint8
        What is only known from the draft mesh has none of these.
    alike : int
        How many have the shape of another one, or its mirror image.
    """

    plan: Plan
    cuts: int
    pieces: int
    flat: int
    fitting: int
    support: float
    left: float
    sight: float
    show: float
    steps: int
    seams: Floats
    names: tuple[str, ...] = ()
    beds: int = 0
    seconds: float = 0.0
    picture: Bytes | None = None
    alike: int = 0

    @property
    def near(self) -> bool:
        """Whether its figures are of the draft mesh."""
        return self.picture is None


@dataclass(frozen=True, eq=False)
class WaysFound:
    """The ways found so far, least support first; see ``search.found.Front``."""

    ways: tuple[WayShown, ...]
    whole: float
    done: bool
    short_of: str
    least_pieces: int


@dataclass(frozen=True, eq=False)
class PostsProposed:
    """Attributes
    ----------
    points : (k, 3) float64, mm, model frame
        Where posts should touch.
    unheld : (u, 3) float64, mm
        Islands that none could be brought to.
    """

    points: Floats
    unheld: Floats


@dataclass(frozen=True, eq=False)
class Settled:
    """Where cuts would move to.

    Attributes
    ----------
    cuts : tuple[Cut, ...]
        There.
    before, after : (seam in sight in mm, support in mm3)
        Of the draft mesh.
    """

    cuts: tuple[Cut, ...]
    before: tuple[float, float]
    after: tuple[float, float]
