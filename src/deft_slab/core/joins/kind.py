"""The base of every kind of join, and the register of kinds.

As with cuts, the geometry of a kind lives in its own module, and what it needs is imported when a join is first
built.
"""

from __future__ import annotations

import math
from abc import abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, Protocol

import numpy as np
from pydantic import BeforeValidator, Field, SerializeAsAny, ValidationError, model_validator

from ..arrays import Bools, Floats
from ..cuts import Move
from ..defaults import UNSUPPORTED
from ..document.base import Document, Name, Triple, of_kind
from ..errors import BadPlan
from ..locale import text
from ..locale.translate import sentence, tr
from .reports import Turn

if TYPE_CHECKING:
    import manifold3d
    import shapely

    from ..mesh.solid import Solid
    from ..printers.profile import Printer

Which = Literal["first", "second"]
"""A piece of a contact: of the two sides of a cut, the first is the one with the lower number (-1), on to which the
second goes."""
AROUND = 48
"""Facets around what is round."""
OUTER = 1.0 / math.cos(math.pi / AROUND)
"""How much farther out their edges are than their middles, which have the radius."""
JOINS: dict[str, type[Join]] = {}
"""Each kind of join by the name of its kind."""


_ROOF = math.radians(UNSUPPORTED)


def roof_over(half: float) -> float:
    """The height of a roof that needs no support, in mm.

    Parameters
    ----------
    half : float, mm
        The distance from its middle line to the side.
    """
    return half / math.tan(_ROOF)


def other(which: Which) -> Which:
    """The piece on the other side of a contact."""
    return "second" if which == "first" else "first"


class ContactGround(Protocol):
    """A contact, for joins that follow its outline.

    Attributes
    ----------
    frame : (3, 3) float64
        Rows: two directions across the contact, and the direction out.
    skin : Solid
        The surface of all pieces that no cut has made, with the two pieces moved so that they meet.
    region : shapely.MultiPolygon
        The contact as polygons across, in mm.
    level : float, mm
        Its level along the direction out.
    centre : (2,) float64, mm
        The centre of the two pieces, across.
    """

    @property
    def frame(self) -> Floats:
        """The frame of the contact.

        Returns
        -------
        (3, 3) float64
        """

    @property
    def skin(self) -> Solid:
        """The surface; it is not closed where it was cut."""

    @property
    def flat(self) -> bool: ...
    @property
    def region(self) -> shapely.MultiPolygon: ...
    @property
    def level(self) -> float: ...
    @property
    def centre(self) -> Floats: ...
    def ends(self, across: Floats) -> Bools:
        """For places (k, 2) on its outline, whether another cut ends it there."""

    def on_face(self, across: Floats) -> Floats:
        """The points (k, 3) of its face, in mm of the model frame, at places (k, 2) in mm across."""

    def body(self, which: Which) -> manifold3d.Manifold:
        """One of the two pieces, in the position in which they meet."""


@dataclass(frozen=True, eq=False)
class Site:
    """Where a join is made: a place on a contact.

    Attributes
    ----------
    place : (3,) float64, mm, model frame
        A point of the contact's face.
    frame : (3, 3) float64
        Rows: two directions across, and the direction out, from the first piece to the second.
    low, high : float, mm
        The range of the face under the join along that direction, relative to the place; both are 0 on a flat
        face.
    clearance : float
        In mm per side.
    allowance : float, mm
        By how much holes are made larger.
    kerf : float, mm
        The thickness that the cut has removed between the two pieces. They meet when the second piece moves by
        it.
    ground : ContactGround | None
        The contact itself.
    """

    place: Floats
    frame: Floats
    low: float
    high: float
    clearance: float
    allowance: float
    kerf: float
    ground: ContactGround | None = None

    def axes(self, carrier: Which, along: Triple | None = None) -> Floats:
        """The rows (3, 3) of a right-handed frame. Its third axis points away from a carrier into the other piece,
        and its first axis lies along a direction of the model, projected across.
        """
        away = self.frame[2] if carrier == "first" else -self.frame[2]
        u = self.frame[0] if along is None else np.array(along) - float(away @ np.array(along)) * away
        if np.linalg.norm(u) < 1e-3:
            u = self.frame[0]
        u = u / np.linalg.norm(u)
        return np.stack([u, np.cross(away, u), away])

    def span(self, carrier: Which) -> tuple[float, float]:
        """The range of the face in mm, counted away from a carrier."""
        return (self.low, self.high) if carrier == "first" else (-self.high, -self.low)


@dataclass(frozen=True)
class PegShape:
    """The measures from which a key's body is made. For those that are not listed see ``peg.Peg``.

    Attributes
    ----------
    sides : mm
        Width and length at the contact, in mm.
    radius : float, mm
        Of its corners.
    inset : float, mm
        How far the contact's own outline is moved inward; None for other outlines.
    """

    sides: tuple[float, float]
    radius: float
    along: Triple | None
    ridges: tuple[Triple, ...]
    flank: float
    height: float
    draft: float
    rounding: float
    inset: float | None = None


@dataclass(frozen=True)
class PivotShape:
    """The measures from which the bodies of a joint that moves are made.

    Attributes
    ----------
    carrier : Which
        The piece whose face stays whole.
    width : float, mm
        Of the hole.
    back, on : float, degrees
    depths : mm
        The depth of a swivel's hole in each piece, in mm.
    leaves, span, radius, along : int
        Of a knuckle, see ``pivot.PivotJoin``.
    """

    carrier: Which
    width: float
    back: float
    on: float
    depths: tuple[float, float]
    leaves: int
    span: float
    radius: float
    along: Triple | None


@dataclass(frozen=True)
class JoinHole:
    """What a join removes from one piece.

    Attributes
    ----------
    depth : float, mm
        From the face.
    draft : float, degrees
    roof : float, mm
        How much deeper its middle is because of a roof.
    """

    depth: float
    draft: float = 0.0
    roof: float = 0.0


@dataclass(frozen=True, eq=False)
class Made:
    """What a join does to its pieces, as bodies in the model frame. The two pieces are in the position in which they
    meet, that is with the second moved by the kerf.

    Attributes
    ----------
    added, removed : Mapping[Which, manifold3d.Manifold]
        The bodies for each piece.
    loose
        For each part that is printed separately: its name, its body, and the unit vector (3,) that points down on
        the bed; None: a seat is searched.
    edges : Mapping[Which, Floats]
        Points (k, 3) in mm for each piece where the wall is measured; without them it is measured all around what
        is added and removed.
    opens : bool
        Whether what is removed extends through the surface on purpose.
    beside : bool
        Whether a separate part lies on the surface of the pieces, so that two such parts must not overlap.
    wall : float, mm
        The thinnest wall around it, where the join knows it.
    turn : Turn | None
        How it moves.
    """

    added: Mapping[Which, manifold3d.Manifold]
    removed: Mapping[Which, manifold3d.Manifold]
    loose: tuple[tuple[str, manifold3d.Manifold, Floats | None], ...] = ()
    edges: Mapping[Which, Floats] = field(default_factory=dict)
    opens: bool = False
    beside: bool = False
    wall: float | None = None
    turn: Turn | None = None


class Join(Document):
    """What all joins have, and what each kind must define.

    Attributes
    ----------
    on : bool
        Whether it is made.
    cut : Name
        The cut whose contact it is on.
    between : tuple[int, int]
        The sides of the cut on which its first and its second piece lie.
    at : mm, model frame
        A point near it, in mm of the model frame. The join is placed on the nearest such contact.
    clearance : float
        In mm per side; None: what the printer needs.
    why : Annotated[str, Field(max_length=300)]
        Why it was proposed, in one line.
    """

    id: Name
    on: bool = True
    cut: Name
    between: tuple[int, int]
    at: Triple
    clearance: float | None = Field(default=None, ge=0, le=10)
    why: Annotated[str, Field(max_length=300)] = ""
    kind: str

    word: ClassVar[str]
    """What it is called: "key"."""
    holds: ClassVar[bool] = True
    """Whether it keeps pieces from sliding; glue alone does not."""
    answers: ClassVar[bool] = True
    """Whether a contact needs no other join beside it."""
    beyond: ClassVar[bool] = False
    """Whether it may come near to other pieces than its own two."""

    @classmethod
    def __pydantic_init_subclass__(cls, **_: Any) -> None:
        kind = cls.model_fields["kind"].default
        if isinstance(kind, str):
            JOINS[kind] = cls

    @model_validator(mode="after")
    def _in_order(self) -> Join:
        if self.between[0] >= self.between[1]:
            raise ValueError(tr("the first side of a join must have the lower number"))
        return self

    def per_side(self, needed: float) -> float:
        """The clearance on each side in mm: its own, or else what the printer needs."""
        return needed if self.clearance is None else self.clearance

    @abstractmethod
    def build(self, site: Site) -> Made:
        """The bodies of this join.

        Raises
        ------
        JoinFailed
            Its measures make no body.
        """

    def rim(self, site: Site) -> Floats:
        """Its closed outline (k, 3) on the face, in mm of the model frame; empty for a join that follows the whole
        contact.

        Raises
        ------
        JoinFailed
            Its measures make no outline.
        """
        return np.empty((0, 3))

    def holes(self, clearance: float) -> Mapping[Which, JoinHole]:
        """The hole that it needs in each piece.

        Parameters
        ----------
        clearance : float
            In mm per side.
        """
        return {}

    @property
    def foot(self) -> Which | None:
        """The piece that something stands out of; None: neither."""
        return None

    def reach(self, clearance: float, allowance: float) -> float:
        """The radius in mm, around its place, of the room that it takes on the contact."""
        return 0.0

    def wall_needed(self, printer: Printer) -> float:
        """The least wall around it, in mm."""
        return printer.least_wall

    def radius(self, clearance: float, allowance: float) -> float:
        """The radius in mm of a circle about as large as its hole, without ridges."""
        return 0.0

    @abstractmethod
    def sentence(self) -> str:
        """Its measures in words: "key, 8 mm across, 6 mm high"."""

    def moved(self, move: Move) -> dict[str, Any]:
        """The changes to the join, except for its place, when the model is stretched, mirrored or moved. The
        clearance and sizes of bought parts stay.
        """
        return {}

    def turned_round(self) -> dict[str, Any]:
        """The changes to the join when its first and second piece are exchanged."""
        return {}

    def carried(self, move: Move, numbers: Mapping[int, int]) -> Join:
        """The same join on the moved model.

        Parameters
        ----------
        numbers : Mapping[int, int]
            The new numbers of the sides of its cut that are renumbered.

        Raises
        ------
        BadPlan
            A measure would be outside its limits.
        """
        own = {**self.model_dump(), "at": move.point(self.at), **self.moved(move)}
        first, second = (numbers.get(side, side) for side in self.between)
        try:
            if first > second:
                own |= type(self).model_validate(own).turned_round()
            return type(self).model_validate({**own, "between": (min(first, second), max(first, second))})
        except ValidationError as error:
            raise BadPlan(tr("{join} {id} cannot be that small or large.", join=sentence(self.word),
                             id=self.id),
                          remedy=tr("First change its measures, or remove it.")) from error

    def warnings(self, needed: float) -> tuple[str, ...]:
        """What may go wrong with the join, in words.

        Parameters
        ----------
        needed : float
            The clearance that the printer needs, in mm per side.
        """
        if not self.holds or self.clearance is None:
            return ()
        if self.clearance == 0:
            return (tr("There is no clearance. A printed part does not go into a hole of its own size."),)
        if self.clearance < needed:
            return (
                tr(
                    "{clearance} per side is less than the {needed} that this printer needs.",
                    clearance=text.length(self.clearance, 2),
                    needed=text.length(needed, 2),
                ),
            )
        return ()


def _of_its_kind(given: object) -> object:
    """A join of the right kind from data that was read."""
    return of_kind(given, JOINS, "join")


AnyJoin = Annotated[SerializeAsAny[Join], BeforeValidator(_of_its_kind)]
"""A join of any registered kind, in a document."""
