"""The outcome of a plan: pieces, figures and seams. Plain data, quick to import, which can be sent between
processes.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import asdict, dataclass, field
from typing import Literal

import numpy as np

from ..arrays import Bytes, Floats, Floats32, Ints32
from ..cuts import Side
from ..geometry.orientation import Tilt
from ..joins.reports import ContactFound, HollowReport, JoinReport, PostsReport
from ..locale import text
from ..mesh.solid import Defects, Solid
from ..plan.coupon import COUPON
from ..plan.model import MendReport
from ..plan.piece_settings import PieceSettings
from ..plan.plan import Plan
from ..printers.profile import Printer
from .notes import Note


@dataclass(frozen=True)
class Figures:
    """The figures of a piece in its seat. The names state the units, and docs/figures.md explains each. ``volume_mm3``
    is None for an open surface.
    """

    triangles: int
    closed: bool
    size_mm: tuple[float, float, float]
    volume_mm3: float | None
    height_mm: float
    overhang_area_mm2: float
    support_volume_mm3: float
    support_inside_mm3: float
    support_on_piece_mm3: float
    support_on_bed_mm3: float
    landing_area_mm2: float
    touched_area_mm2: float
    show_scar_mm2: float
    unheld_area_mm2: float
    projected_area_mm2: float
    base_area_mm2: float
    steadiness_mm: float
    tipping_deg: float
    sits_flat: bool
    near_threshold_share: float
    layers: int
    largest_layer_mm2: float
    layer_growth_mm2: float
    level_underside_mm2: float
    print_seconds: float
    material_g: float

    def as_dict(self) -> dict[str, object]:
        """The figures by the names of their fields."""
        return asdict(self)


@dataclass(frozen=True, eq=False)
class OverhangSpot:
    """A connected overhanging region that needs support.

    Attributes
    ----------
    area : float, mm2
    past : float, degrees
        How far past the threshold it is, on average.
    gap : float, mm
        The height of the support under it, on average.
    on_piece : bool
        Whether most of its support would end on the piece.
    on_show : bool
        Whether it touches a show face.
    place : (x, y, z), mm, model frame
        A point on it, near its middle.
    across : float, mm
        Its size.
    facets : (k,) int32
        The facets that it consists of.
    """

    area: float
    past: float
    gap: float
    on_piece: bool
    on_show: bool
    place: tuple[float, float, float]
    across: float
    facets: Ints32


@dataclass(frozen=True)
class Fit:
    """Whether a piece fits inside the bed at some rotation about the vertical.

    Attributes
    ----------
    fits : bool
        Whether there is a rotation at which it fits.
    yaw : float, degrees
        The smallest rotation at which it fits, or the one at which it sticks out least.
    over : (x, y, z), mm
        By how much it sticks out along each axis at that rotation; 0 where it does not.
    """

    fits: bool
    yaw: float
    over: tuple[float, float, float]

    def sentence(self) -> str:
        """By how much it does not fit, in words: "59.6 mm too high". Empty if it fits."""
        return ", ".join(filter(None, text.too_large(self.over)))


@dataclass(frozen=True, eq=False)
class Place:
    """A place to look at.

    Attributes
    ----------
    place, outward : (3,) float64
        The place (mm, model frame), and the outward unit vector of the surface there.
    """

    place: Floats
    outward: Floats


@dataclass(frozen=True, eq=False)
class Stretch(Place):
    """A part of a seam.

    Attributes
    ----------
    length, in_sight : float, mm
        Its length, and how much of that is seen.
    """

    length: float
    in_sight: float


@dataclass(frozen=True, eq=False)
class ThinPlace(Place):
    """A place where a cut leaves too little material to print well.

    Attributes
    ----------
    kind : Literal[skin, sliver, step]
        "skin": a thin layer over a parallel surface. "sliver": an edge that tapers to nothing. "step": a stub on
        a parallel surface.
    area : float, mm2
    least : float, mm
        The smallest thickness or height.
    """

    kind: Literal["skin", "sliver", "step"]
    area: float
    least: float

    def note(self, cut: str) -> Note:
        """The note about this place.

        Parameters
        ----------
        cut : str
            The name of the cut that leaves it.
        """
        x, y, z = (float(value) for value in self.place)
        data = {"name": cut, "kind": self.kind, "least_mm": self.least, "area_mm2": self.area}
        return Note("cut.thin", data, place=(x, y, z))


NOT_BARRED = 0.5
"""mm of seam where none may run that are taken for none: marks end at the edges of facets."""


@dataclass(frozen=True, eq=False)
class Seam:
    """The seam of a cut: where its cut face meets the surface of the model.

    Attributes
    ----------
    segments : (k, 2, 3) float64, mm, model frame
        The seam as line segments.
    exposed : (k,) float64
        How much of each segment is seen, 0 to 1.
    length, in_sight : float, mm
        Its length, and the part of it that is seen.
    cut_area : float, mm2
    on_show : float, mm
        The length that crosses show faces.
    stretches : tuple[Stretch, ...]
        Its parts, those that are seen most first.
    barred : float, mm
        The length that runs where no seam may run.
    welcome : float, mm
        The length in sight that runs where a seam is welcome.
    """

    segments: Floats
    exposed: Floats
    length: float
    in_sight: float
    cut_area: float
    on_show: float = 0.0
    stretches: tuple[Stretch, ...] = ()
    barred: float = 0.0
    welcome: float = 0.0


@dataclass(frozen=True)
class Scar:
    """The area that support touches, in mm2, weighted by how much of it is seen on the assembled prop (``sight``),
    and the rest (``hidden``).

    Attributes
    ----------
    posts : int
        The number of posts that stand.
    """

    sight: float = 0.0
    hidden: float = 0.0
    posts: int = 0


@dataclass(frozen=True, eq=False)
class Piece:
    """A printable piece in its seat.

    Attributes
    ----------
    solid : Solid
        Its surface, in mm, model frame.
    sides : tuple[Side, ...]
        The sides of the cuts that it is on. Together with ``anchor`` (a point of the model, mm) they identify the
        piece.
    alone : bool
        Whether it is the whole model, uncut.
    as_opened : float
        Millimetres in one unit of the file, if it is the opened surface unchanged but for its size; else None.
    wished : PieceSettings | None
        The settings of the plan that apply to this piece.
    past_threshold : (m,) float32, degrees
        How far past the threshold each facet is that needs support; -1 for the others.
    skin : ((n, 3) float64, mm, bed frame; (m, 3) int32)
        Vertices and triangles of the support around it.
    lift : float
        Height over the bed, in mm.
    marks : (m,) uint8
        For each facet the sum of 1 for a show face, 2 for a hold spot, 4 for a clear spot.
    spots : tuple[OverhangSpot, ...]
        The regions that need support, largest first.
    layers : (k,) float64, mm2
        The area of each layer.
    extra : str
        What it is, if it is not a part of the model: "loose key".
    made_on : Printer | None
        The printer it is printed on, if that is not the one that the plan is judged by, loaded with its material.
    second : bool
        Whether that is the second printer of the plan.
    scar : (m,) float32
        For each facet that support touches, how much of it is seen on the prop; -1 for the others. Empty if not
        known.
    """

    number: int
    name: str
    solid: Solid
    sides: tuple[Side, ...]
    anchor: tuple[float, float, float]
    seat: Tilt
    seat_kind: str
    figures: Figures
    fit: Fit
    crumb: bool
    alone: bool
    as_opened: float | None
    wished: PieceSettings | None
    past_threshold: Floats32
    skin: tuple[Floats, Ints32]
    lift: float
    marks: Bytes
    spots: tuple[OverhangSpot, ...]
    layers: Floats
    extra: str = ""
    made_on: Printer | None = None
    second: bool = False
    scar: Floats32 = field(default_factory=lambda: np.empty(0, np.float32))

    def on(self, printer: Printer) -> Printer:
        """The printer that it is printed on.

        Parameters
        ----------
        printer : Printer
            The printer that the plan is judged by.
        """
        return self.made_on or printer

    def skin_pose(self, rotation: Floats, shift: Floats) -> tuple[Floats, Floats]:
        """The pose of the support around it, once the piece was moved to a place on a bed.

        Returns
        -------
        (3, 3) float64, (3,) float64, mm
            Rotation and shift.
        """
        return np.asarray(rotation @ self.seat.rotation.T), np.array([shift[0], shift[1], 0.0])

    def wish(self, **update: object) -> PieceSettings:
        """The settings of this piece with some values changed, to replace ``wished`` in the plan."""
        wished = self.wished or PieceSettings(sides=self.sides, anchor=self.anchor)
        return wished.model_copy(update={"sides": self.sides, "anchor": self.anchor, **update})


@dataclass(frozen=True)
class Totals:
    """Sums over all pieces of a plan, including what is printed apart. ``pieces``, ``flat_pieces`` and
    ``fitting_pieces`` do not count that. ``tallest_mm`` is the height of the tallest piece.

    Attributes
    ----------
    joined : int
        Contacts that have a join which holds.
    least_wall_mm : float
        The thinnest wall around any join.
    base_kept : float
        How much of the base area that the pieces have without joins remains with them, as a share.
    scar : Scar
        What support leaves on the prop.
    """

    pieces: int
    overhang_area_mm2: float
    support_volume_mm3: float
    support_inside_mm3: float
    touched_area_mm2: float
    show_scar_mm2: float
    seam_length_mm: float
    seam_in_sight_mm: float
    seam_on_show_mm: float
    cut_area_mm2: float
    tallest_mm: float
    print_seconds: float
    material_g: float
    flat_pieces: int
    fitting_pieces: int
    contacts: int = 0
    joined: int = 0
    least_wall_mm: float = math.inf
    base_kept: float = 1.0
    scar: Scar = Scar()

    @classmethod
    def of(
        cls, pieces: Sequence[Piece], seams: Collection[Seam], printer: Printer, contacts: int = 0,
        joins: Collection[JoinReport] = (), bare: Sequence[Piece] = (), scar: Scar = Scar(),
    ) -> Totals:
        """The totals of the pieces, seams and joins of a plan.

        Parameters
        ----------
        contacts : int
            The number of contacts.
        bare : Sequence[Piece]
            The same pieces without joins, if there are any joins.
        """
        made = [one for one in joins if not one.problem]
        together: dict[Printer, list[float]] = {}
        for piece in pieces:
            together.setdefault(piece.on(printer), []).append(piece.figures.print_seconds)
        figures = [piece.figures for piece in pieces]
        own = [piece for piece in pieces if not piece.extra]
        return cls(
            pieces=len(own),
            overhang_area_mm2=math.fsum(f.overhang_area_mm2 for f in figures),
            support_volume_mm3=math.fsum(f.support_volume_mm3 for f in figures),
            support_inside_mm3=math.fsum(f.support_inside_mm3 for f in figures),
            touched_area_mm2=math.fsum(f.touched_area_mm2 for f in figures),
            show_scar_mm2=math.fsum(f.show_scar_mm2 for f in figures),
            seam_length_mm=math.fsum(seam.length for seam in seams),
            seam_in_sight_mm=math.fsum(seam.in_sight for seam in seams),
            seam_on_show_mm=math.fsum(seam.on_show for seam in seams),
            cut_area_mm2=math.fsum(seam.cut_area for seam in seams),
            tallest_mm=max(f.height_mm for f in figures),
            # pieces on one resin plate take no longer than the longest of them
            print_seconds=math.fsum(max(of) if one.kind == "resin" else math.fsum(of) for one, of in together.items()),
            material_g=math.fsum(f.material_g for f in figures),
            flat_pieces=sum(piece.figures.sits_flat for piece in own),
            fitting_pieces=sum(piece.fit.fits for piece in own),
            contacts=contacts,
            joined=len({one.contact for one in made if one.holds}),
            least_wall_mm=min((one.least_wall for one in made), default=math.inf),
            scar=scar,
            base_kept=_base_of(own) / _base_of(bare) if _base_of(bare) > 0 else 1.0,
        )


def _base_of(pieces: Sequence[Piece]) -> float:
    return math.fsum(piece.figures.base_area_mm2 for piece in pieces if not piece.extra)


@dataclass(frozen=True, eq=False)
class Room:
    """The air around a guest.

    Attributes
    ----------
    solid : Solid
        The guest in mm, rotated, with its own origin at 0.
    clearance : float, mm
        The smallest distance from the prop's surface to the guest. Negative where the prop reaches into the guest
        (how deep), or where the guest lies inside the prop's wall. None while the guest is farther away than its
        own size.
    at : (3,) float64, mm, model frame
        The place on the prop where that is.
    poking : (k, 3) float64, mm
        Points of the prop that are inside the guest.
    poking_area : float
        The area of the prop's surface that is inside the guest, in mm2.
    """

    solid: Solid
    clearance: float | None
    at: Floats
    poking: Floats
    poking_area: float


@dataclass(frozen=True, eq=False)
class CutReport:
    """What a cut did.

    Attributes
    ----------
    before, after : int
        The number of parts before and after it.
    parts : bool
        Whether it cut anything.
    kerf : float, mm3
        The volume that it removed.
    set_aside : float, mm3
        The volume of crumbs that were dropped.
    given : int
        The number of crumbs that were joined to a neighbour.
    crumbs : tuple of (size in mm, (x, y, z))
        The fragments that it left, whatever became of them.
    lift : tuple[float, float, float] | None
        Unit vector along which the part on side +1 comes off; None for cells and bodies.
    catches : bool
        Whether that part cannot come off, because the cut face itself or something on its way stands against it.
    bridges : tuple[Place, ...]
        Places where material goes on beyond a cut that does not go all the way through.
    thin : tuple[ThinPlace, ...]
        Places where it leaves too little material, largest first.
    least : float
        The share of the model on the smaller of its two sides.
    """

    before: int
    after: int
    parts: bool
    kerf: float = 0.0
    set_aside: float = 0.0
    given: int = 0
    crumbs: tuple[tuple[float, tuple[float, float, float]], ...] = ()
    lift: tuple[float, float, float] | None = None
    catches: bool = False
    bridges: tuple[Place, ...] = ()
    thin: tuple[ThinPlace, ...] = ()
    least: float = 1.0

    @property
    def middle_of_bridge(self) -> Place:
        """One of ``bridges``; there must be at least one."""
        return self.bridges[len(self.bridges) // 2]


@dataclass(frozen=True, eq=False)
class Outcome:
    """The outcome of a plan.

    Attributes
    ----------
    notes : tuple[Note, ...]
        What the user should know.
    defects : Defects
        Defects of the whole model, in mm, model frame.
    report : MendReport | None
        What mending did.
    guests : dict[str, Room]
        The room around each guest that is shown, by its id.
    cuts : dict[str, CutReport]
        What each cut that is on did, by its id.
    approximate : bool
        Whether it was computed on the draft mesh.
    spans : (2, 3) float64, mm
        The size of the whole model, mended and uncut: as it stands, and along the axes of its file.
    contacts : tuple[ContactFound, ...]
        Where pieces meet.
    joins, hollows, posts : dict[str, JoinReport]
        The report on each one that is on, by its id.
    """

    plan: Plan
    pieces: tuple[Piece, ...]
    seams: dict[str, Seam]
    totals: Totals
    notes: tuple[Note, ...]
    defects: Defects
    volume_before_mm3: float | None
    report: MendReport | None = None
    guests: dict[str, Room] = field(default_factory=dict)
    cuts: dict[str, CutReport] = field(default_factory=dict)
    approximate: bool = False
    spans: Floats = field(default_factory=lambda: np.zeros((2, 3)))
    contacts: tuple[ContactFound, ...] = ()
    joins: dict[str, JoinReport] = field(default_factory=dict)
    hollows: dict[str, HollowReport] = field(default_factory=dict)
    posts: dict[str, PostsReport] = field(default_factory=dict)

    @property
    def kerf_mm3(self) -> float:
        """The volume that all cuts removed."""
        return sum(report.kerf for report in self.cuts.values())

    @property
    def set_aside_mm3(self) -> float:
        """The volume of all crumbs that were dropped."""
        return sum(report.set_aside for report in self.cuts.values())

    @property
    def joins_mm3(self) -> float:
        """What all joins add to the pieces, including what is printed apart, minus what they remove."""
        return sum(one.added + one.loose - one.removed for one in self.joins.values() if not one.problem)

    @property
    def hollows_mm3(self) -> float:
        """What all hollows remove from the pieces, minus the volume of their plugs."""
        return sum(one.removed - one.added for one in self.hollows.values())

    @property
    def lost_share(self) -> float | None:
        """The share of the original volume that is in no piece, no kerf and no crumb. None if the model had no
        volume.
        """
        if not self.volume_before_mm3:
            return None
        own = (piece.solid.volume for piece in self.pieces if piece.extra != COUPON)
        after = sum(own) + self.kerf_mm3 + self.set_aside_mm3 - self.joins_mm3 + self.hollows_mm3
        return abs(after / self.volume_before_mm3 - 1.0)
