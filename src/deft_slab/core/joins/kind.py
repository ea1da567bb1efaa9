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
        From its middle line to the side.
    """
    return half / math.tan(_ROOF)


def other(which: Which) -> Which:
    """The piece on the other side of a contact."""
    return "second" if which == "first" else "first"


class ContactGround(Protocol):
    """A contact, as joins see it that follow its outline.

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
        """Not closed where it is cut."""

    @property
    def flat(self) -> bool: ...
    @property
    def region(self) -> shapely.MultiPolygon: ...
    @property
    def level(self) -> float: ...
    @property
    def centre(self) -> Floats: ...
    def ends(self, across: Floats) -> Bools:
        """(k,) of (k, 2) places on its outline, whether another cut ends it there."""

    def on_face(self, across: Floats) -> Floats:
        """(k, 3) mm, model frame: the places of its face at (k, 2) mm across."""

    def body(self, which: Which) -> manifold3d.Manifold:
        """One of the two pieces, where they meet."""


@dataclass(frozen=True, eq=False)
class Site:
    """Where a join is made: a place on a contact.

    Attributes
    ----------
    place : (3,) float64, mm, model frame
        On the contact's face.
    frame : (3, 3) float64
        Rows: two directions across, and the way out, from the first piece to the second.
    low, high : float, mm
        Along it, relative to the place, between which the face is under the join (both 0 on a flat one).
    clearance : float
        mm per side.
    allowance : float, mm
        What holes are made larger by.
    kerf : float, mm
        That the cut has taken away between the two pieces: they meet when the second goes on by it.
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
        """(3, 3) rows of a right-handed frame whose third axis points away from a carrier into the other piece, and
        whose first lies along a direction of the model, as far as that lies across.
        """
        away = self.frame[2] if carrier == "first" else -self.frame[2]
        u = self.frame[0] if along is None else np.array(along) - float(away @ np.array(along)) * away
        if np.linalg.norm(u) < 1e-3:
            u = self.frame[0]
        u = u / np.linalg.norm(u)
        return np.stack([u, np.cross(away, u), away])

    def span(self, carrier: Which) -> tuple[float, float]:
        """(low, high) mm of the face, counted away from a carrier."""
        return (self.low, self.high) if carrier == "first" else (-self.high, -self.low)


@dataclass(frozen=True)
class PegShape:
    """A key, as its body is made.

    Attributes
    ----------
    sides : mm
        Across at the contact.
    radius : float, mm
        Of its corners.
    inset : float, mm
        By which the contact's own outline is drawn in, None where it has another; the others as for
        ``peg.Peg``.
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
    """A joint that moves, as its bodies are made.

    Attributes
    ----------
    carrier : Which
        The piece whose face stays whole.
    width : float, mm
        Of the hole.
    back, on : float, degrees
    depths : mm
        By piece, of a swivel.
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
    """What a join takes of one piece.

    Attributes
    ----------
    depth : float, mm
        From the face.
    draft : float, degrees
    roof : float, mm
        That its middle goes on.
    """

    depth: float
    draft: float = 0.0
    roof: float = 0.0


@dataclass(frozen=True, eq=False)
class Made:
    """What a join does to its pieces, as bodies in the model frame, with both pieces where they meet: the second one
    moved on by the kerf.

    Attributes
    ----------
    added, removed : Mapping[Which, manifold3d.Manifold]
        By piece.
    loose
        (name, body, (3,) unit, which way it lies on the bed; None: that is looked for) of what is printed
        apart.
    edges : Mapping[Which, Floats]
        By piece, (k, 3) mm where the wall is measured; none: all around what is added and removed.
    opens : bool
        What is removed goes on beyond the surface on purpose.
    beside : bool
        What is printed apart lies on the surface of the pieces, so that two such must not meet.
    wall : float, mm
        The thinnest around it, where the join knows it by itself.
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
    """What all joins have, and what each kind must say of itself.

    Attributes
    ----------
    on : bool
        Whether it is made.
    cut : Name
        Whose contact it is on.
    between : tuple[int, int]
        The sides of the cut that its first and its second piece lie on.
    at : mm, model frame
        Near it: it is put on to the nearest such contact.
    clearance : float
        mm per side; None: what the printer needs.
    why : Annotated[str, Field(max_length=300)]
        It was proposed, in one line.
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
        """mm of clearance on each side: its own, else what the printer needs."""
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
        """(k, 3) mm, model frame: its closed outline on the face; none for what follows all of the contact. Raises
        JoinFailed.
        """
        return np.empty((0, 3))

    def holes(self, clearance: float) -> Mapping[Which, JoinHole]:
        """The holes that it needs, by piece.

        Parameters
        ----------
        clearance : float
            mm per side.
        """
        return {}

    @property
    def foot(self) -> Which | None:
        """The piece that something stands out of; None for neither."""
        return None

    def reach(self, clearance: float, allowance: float) -> float:
        """mm around its place within which it takes room on the contact."""
        return 0.0

    def wall_needed(self, printer: Printer) -> float:
        """mm of wall that there should be around it."""
        return printer.least_wall

    def radius(self, clearance: float, allowance: float) -> float:
        """mm: of the circle that its hole is about as large as, without ridges."""
        return 0.0

    @abstractmethod
    def sentence(self) -> str:
        """Its measures, for a person: "key, 8 mm across, 6 mm high"."""

    def moved(self, move: Move) -> dict[str, Any]:
        """What changes of it, but for its place, when the model is stretched, mirrored or moved. Clearance and what is
        bought by size stay.
        """
        return {}

    def turned_round(self) -> dict[str, Any]:
        """What changes of it when its first piece becomes the second one."""
        return {}

    def carried(self, move: Move, numbers: Mapping[int, int]) -> Join:
        """The same join on the moved model.

        Parameters
        ----------
        numbers : Mapping[int, int]
            The new ones of those sides of its cut that get another. Raises BadPlan where it would be smaller or
            larger than there are any.
        """
        own = {**self.model_dump(), "at": move.point(self.at), **self.moved(move)}
        first, second = (numbers.get(side, side) for side in self.between)
        try:
            if first > second:
                own |= type(self).model_validate(own).turned_round()
            return type(self).model_validate({**own, "between": (min(first, second), max(first, second))})
        except ValidationError as error:
            raise BadPlan(tr("{join} {id} cannot be as small or as large as that.", join=sentence(self.word),
                             id=self.id),
                          remedy=tr("Change its measures, or remove it, first.")) from error

    def warnings(self, needed: float) -> tuple[str, ...]:
        """What may go wrong with it, in words.

        Parameters
        ----------
        needed : float
            mm per side, the clearance that the printer needs.
        """
        if not self.holds or self.clearance is None:
            return ()
        if self.clearance == 0:
            return (tr("No clearance: nothing printed goes into a hole of its own size."),)
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
    """A join from what was read of it."""
    return of_kind(given, JOINS, "join")


AnyJoin = Annotated[SerializeAsAny[Join], BeforeValidator(_of_its_kind)]
"""A join of any registered kind, in a document."""
