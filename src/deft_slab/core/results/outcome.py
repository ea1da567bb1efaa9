"""What a plan comes to: figures, pieces, seams. Plain data, light to load, and able to travel between processes."""

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
    """Units are in the names; definitions.md says what each means. volume_mm3 is None for an open surface."""

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
        """By the names of the fields."""
        return asdict(self)


@dataclass(frozen=True, eq=False)
class OverhangSpot:
    """A separate place that needs support.

    Attributes
    ----------
    area : float, mm2
    past : float, degrees
        Past the threshold, mean.
    gap : float, mm
        Mean, down to what is below.
    on_piece : bool
        Most of its support would end on the piece.
    on_show : bool
        A show face is touched.
    place : (mm, model frame)
        On it, near its middle.
    across : float, mm
    facets : (k,) int32
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
    """Attributes
    ----------
    fits : bool
        There is a turn about the vertical for which it stays inside the bed.
    yaw : float, degrees
        The smallest turn that fits; else the one that sticks out least.
    over : mm
        By which it sticks out along x, y and z at that turn (0 where it does not).
    """

    fits: bool
    yaw: float
    over: tuple[float, float, float]

    def sentence(self) -> str:
        """By how much it does not fit: "59.6 mm too high"; empty when it fits."""
        return ", ".join(filter(None, text.too_large(self.over)))


@dataclass(frozen=True, eq=False)
class Place:
    """Somewhere to look at.

    Attributes
    ----------
    place, outward : (3,) float64
        mm and unit vector, model frame.
    """

    place: Floats
    outward: Floats


@dataclass(frozen=True, eq=False)
class Stretch(Place):
    """A part of a seam.

    Attributes
    ----------
    length, in_sight : float, mm
    """

    length: float
    in_sight: float


@dataclass(frozen=True, eq=False)
class ThinPlace(Place):
    """Where a cut leaves too little to print well.

    Attributes
    ----------
    kind : Literal[skin, sliver, step]
        "skin" over a parallel surface; "sliver", an edge that runs out thin; "step", a stub on a parallel
        surface.
    area : float, mm2
    least : float, mm
        The thinnest, or the lowest.
    """

    kind: Literal["skin", "sliver", "step"]
    area: float
    least: float

    def note(self, cut: str) -> Note:
        """What is worth knowing of it.

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
    """Attributes
    ----------
    segments : (k, 2, 3) float64, mm, model frame
    length, in_sight : float, mm
    cut_area : float, mm2
    exposed : (k,) float64
        0 to 1.
    on_show : float, mm
        Of it that cross show faces.
    stretches : tuple[Stretch, ...]
        Its parts, those that show most first.
    barred : float, mm
        Where none may run.
    welcome : float, mm
        Of what is in sight where one is welcome.
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
    """mm2 that support touches, weighted by how much of it is seen on the prop, and the rest; see ``scars``.

    Attributes
    ----------
    posts : int
        That stand.
    """

    sight: float = 0.0
    hidden: float = 0.0
    posts: int = 0


@dataclass(frozen=True, eq=False)
class Piece:
    """A printable part, in its seat.

    Attributes
    ----------
    solid : mm, model frame
    alone : bool
        It is the whole model, uncut.
    as_opened : float
        It is the opened surface as it came, at another size: mm in one unit of the file.
    wished : PieceSettings | None
        The wish of the plan that was found to be for this piece.
    sides : tuple[Side, ...]
        The sides of the cuts that it lies on; with ``anchor`` (a point of the model, mm) they name the piece.
    past_threshold : (m,) float32, degrees
        Past the threshold of facets that need support, else -1.
    skin : (vertices mm in the bed frame, triangles)
        Of the support around it.
    lift : float
        mm over the bed.
    marks : (m,) uint8
        The sum of 1 for a show face, 2 for a hold spot, 4 for a clear spot.
    spots : tuple[OverhangSpot, ...]
        What needs support, largest first.
    layers : (k,) float64, mm2
        Area of each layer.
    made_on : Printer | None
        What it is printed on, loaded with its material, where that is not what the plan is judged by.
    second : bool
        It is the second printer of the plan.
    scar : (m,) float32
        Of the facets that support touches how much is seen on the prop, -1 of the others; none: not known.
    extra : str
        What it is, where it is no part of the model: "loose key".
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
        """What it is printed on.

        Parameters
        ----------
        printer : Printer
            What the plan is judged by.
        """
        return self.made_on or printer

    def skin_pose(self, rotation: Floats, shift: Floats) -> tuple[Floats, Floats]:
        """(rotation (3, 3), shift (3,) mm) of the support around it, where it was put in its seat by others."""
        return np.asarray(rotation @ self.seat.rotation.T), np.array([shift[0], shift[1], 0.0])

    def wish(self, **update: object) -> PieceSettings:
        """What is wished of this piece, changed, to put into the plan in place of ``wished``."""
        wished = self.wished or PieceSettings(sides=self.sides, anchor=self.anchor)
        return wished.model_copy(update={"sides": self.sides, "anchor": self.anchor, **update})


@dataclass(frozen=True)
class Totals:
    """Sums over the pieces of a plan, with what is printed apart; without that ``pieces``, and how many are flat and
    fit. ``tallest`` is of the worst one;

    Attributes
    ----------
    joined : int
        Contacts with a join that holds; least_wall : the thinnest around any join.
    scar : Scar
        See there.
    base_kept : float
        Share of what the pieces rest on without joins that they rest on with them.
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
        """Of the pieces, seams and joins of a plan.

        Parameters
        ----------
        contacts : int
            How many there are.
        bare : Sequence[Piece]
            The pieces without joins, where there are any.
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
        The guest, mm, turned, its own origin at 0.
    clearance : float, mm
        The smallest distance from the prop's surface to the guest; below 0 where the prop is inside it, how
        deep, or where it lies inside the prop's wall as a whole. None while the guest is nowhere near (more
        than its own size away).
    at : (3,) float64, mm, model frame
        The place on the prop.
    poking : (k, 3) float64, mm
        Places of the prop that are inside the guest.
    poking_area : float
        mm2 of the prop's surface that is inside the guest.
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
        How many parts there were and are.
    parts : bool
        Whether it parted anything.
    kerf : float, mm3
        That it removed.
    set_aside : float, mm3
        Of crumbs that were dropped.
    given : int
        How many went to a neighbour.
    crumbs : (size in mm, place)
        Of the fragments that it left, whatever became of them.
    lift : tuple[float, float, float] | None
        Unit vector along which what lies on the side +1 comes off; None for cells and bodies.
    catches : bool
        It does not come off: its own face, or on the way something else, stands against it.
    bridges : tuple[Place, ...]
        Places around a cut that does not go through, where material goes on beyond it.
    thin : tuple[ThinPlace, ...]
        Where it leaves too little, largest first.
    least : float
        Share of the model on the smaller of its two sides.
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
        """One of ``bridges``, of which there must be some."""
        return self.bridges[len(self.bridges) // 2]


@dataclass(frozen=True, eq=False)
class Outcome:
    """What a plan comes to.

    Attributes
    ----------
    notes : tuple[Note, ...]
        What is worth knowing.
    defects : Defects
        Of the whole model, mm, model frame.
    report : MendReport | None
        What mending did.
    guests : dict[str, Room]
        The room around each guest that is shown, by its id.
    cuts : dict[str, CutReport]
        What each cut that is on did, by its id.
    approximate : bool
        It is of the draft mesh.
    contacts : tuple[ContactFound, ...]
        Where pieces meet.
    joins, hollows, posts : dict[str, JoinReport]
        What became of each that is on, by its id.
    spans : (2, 3) float64, mm
        Of the whole model, mended and uncut: as it stands, and along the axes of its file.
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
        """What all cuts removed."""
        return sum(report.kerf for report in self.cuts.values())

    @property
    def set_aside_mm3(self) -> float:
        """What crumbs were dropped, all cuts."""
        return sum(report.set_aside for report in self.cuts.values())

    @property
    def joins_mm3(self) -> float:
        """What all joins add to the pieces, with what is printed apart, less what they remove."""
        return sum(one.added + one.loose - one.removed for one in self.joins.values() if not one.problem)

    @property
    def hollows_mm3(self) -> float:
        """What all hollows remove from the pieces, less what is in their plugs."""
        return sum(one.removed - one.added for one in self.hollows.values())

    @property
    def lost_share(self) -> float | None:
        """How much of the volume before is in no piece, no kerf and no crumb; None where there was none before."""
        if not self.volume_before_mm3:
            return None
        own = (piece.solid.volume for piece in self.pieces if piece.extra != COUPON)
        after = sum(own) + self.kerf_mm3 + self.set_aside_mm3 - self.joins_mm3 + self.hollows_mm3
        return abs(after / self.volume_before_mm3 - 1.0)
