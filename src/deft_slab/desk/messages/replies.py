"""The replies of the worker process. Quick to import, because the window imports it before anything heavy."""

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
    printer : Printer
        The printer that it is judged by. ``work`` is what printing takes.
    picture : (height, width, 4) uint8
    clashes : tuple[tuple[int, int], ...]
        Collisions in the layout; see ``collisions``.
    """

    outcome: Outcome
    printer: Printer
    laid: tuple[Laid, ...]
    picture: Bytes | None
    work: PrintJob | None = None
    clashes: tuple[tuple[int, int], ...] = ()

    def printer_of(self, bed: int) -> Printer:
        """The printer of a bed, loaded with what is printed on it; for an empty bed the first printer."""
        return self._printers.get(bed, self.printer)

    @cached_property
    def _printers(self) -> dict[int, Printer]:
        """The printer of each bed that has something on it."""
        return {one.bed: self.outcome.pieces[one.piece].on(self.printer) for one in reversed(self.laid)}

    def of(self, plan: Plan | None, printer: Printer) -> bool:
        """Whether it belongs to a plan and a printer."""
        return self.outcome.plan == plan and self.printer == printer


@dataclass(frozen=True, eq=False)
class Fetched:
    """An opened model, and its project if it came with one.

    Attributes
    ----------
    guests : dict[str, Solid]
        The surfaces of the project's guests, by content hash.
    advice : Mending
        The mending that the surface needs.
    outline : (rows, columns) bool
        The silhouette of the model from the front.
    unit : Unit
        The unit that the file states, or else the most likely one.
    exact : bool
        Whether the file contains exact surfaces, converted with an accuracy of ``fineness`` mm.
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
    """A simplified piece, drawn while something moves.

    Attributes
    ----------
    vertices : (n, 3) float64, mm, model frame
    triangles : (m, 3) int32
    alike : (m,) int64
        For each triangle the nearest facet of the piece, whose colour it takes.
    """

    vertices: Floats
    triangles: Ints32
    alike: Ints


@dataclass(frozen=True, eq=False)
class Walls:
    """The walls of the pieces.

    Attributes
    ----------
    behind : tuple of (m,) float64, mm
        The thickness behind each facet of each piece.
    thinnest : float, mm
        The thickness that all but 1 mm² of the surface has.
    """

    behind: tuple[Floats32, ...]
    thinnest: float


@dataclass(frozen=True, eq=False)
class MapRound:
    """A round of directions of the tilt map.

    Attributes
    ----------
    flats : (k, 3) float64
        Downward directions of large flats and of facets of the hull.
    more : bool
        Whether further rounds will refine it.
    """

    figures: MapFigures
    flats: Floats
    more: bool


@dataclass(frozen=True, eq=False)
class SeatShown:
    """A seat with its picture.

    Attributes
    ----------
    picture : (height, width, 4) uint8
    """

    seat: WorthTrying
    picture: Bytes


@dataclass(frozen=True, eq=False)
class SeatsFound:
    """Seats worth trying for a piece, best first.

    Attributes
    ----------
    figures : MapFigures
        The figures of all directions examined.
    """

    seats: tuple[SeatShown, ...]
    figures: MapFigures


@dataclass(frozen=True, eq=False)
class RoomShown:
    """The room for a join on its contact.

    Attributes
    ----------
    join : str
        The id of the join.
    contact : int
        The number of the contact.
    low : (2,) float64, mm
        The middle of the first cell, across the contact.
    step : float, mm
    reach : float, mm
        The room that the join takes around its place.
    enough, bare : (rows, columns) float32, mm
        The largest reach at each cell with the wall that the printer needs, and without any; -inf beside the
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
    """A plan that the search found for a piece, like ``search.results.Way`` without its pieces.

    Attributes
    ----------
    left : float
        The support as a share of that of the uncut piece as it sits now.
    seams : (k, 2, 3) float64, mm, model frame
    names : tuple[str, ...]
        The names of the pieces, and how each sits. Ways known only from the draft mesh have none.
    beds : int
        The number of beds; 0 for ways known only from the draft mesh.
    seconds : float
        The time of printing, in seconds; 0 for ways known only from the draft mesh.
    picture : (height, width, 4) uint8
        From the draft mesh until the way is measured; None before it is drawn.
    alike : int
        How many pieces have the shape of another one, or its mirror image.
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
        """Whether its figures come from the draft mesh."""
        return not self.beds


@dataclass(frozen=True, eq=False)
class WaysFound:
    """The ways found so far, least support first; see ``search.results.Front``."""

    ways: tuple[WayShown, ...]
    whole: float
    done: bool
    short_of: str
    least_pieces: int


@dataclass(frozen=True, eq=False)
class PostsProposed:
    """Proposed posts.

    Attributes
    ----------
    points : (k, 3) float64, mm, model frame
        Where posts should touch.
    unheld : (u, 3) float64, mm
        Islands that no post can reach.
    """

    points: Floats
    unheld: Floats


@dataclass(frozen=True, eq=False)
class Settled:
    """Where cuts would move.

    Attributes
    ----------
    cuts : tuple[Cut, ...]
        The moved cuts.
    before, after : (float, float)
        Seam in sight in mm and support in mm3, of the draft mesh.
    """

    cuts: tuple[Cut, ...]
    before: tuple[float, float]
    after: tuple[float, float]
