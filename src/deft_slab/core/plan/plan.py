"""The plan: which bodies, how they are mended, how big, which tilt, which cuts, which joins, which seats.

A plan is an immutable value, validated and convertible to JSON. The opened model never changes; the plan says what to
do with it.
"""

from __future__ import annotations

import itertools
from collections.abc import Collection
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from pydantic import Field, StringConstraints, ValidationError, field_validator, model_validator

from ..arrays import Floats
from ..cuts import AnyCut, Cut, Move, PieceReach, Side
from ..defaults import LEANING, THRESHOLD, WEARER_CLEARANCE
from ..document.base import Document, Name, Triple, first_problem, free_ids
from ..document.marks import Audience, LeftAlone, Mark
from ..errors import BadPlan
from ..geometry.orientation import STAND_UP, Tilt
from ..joins import AnyJoin, Join
from ..locale.translate import tr
from ..printers.profile import Printer
from .coupon import CouponWish
from .hollow import Hollow
from .piece_settings import PieceSettings
from .placements import BedsBy, Placement
from .supports import PostSet

Unit = Literal["mm", "cm", "m", "in"]
UNITS: dict[Unit, float] = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4}
"""mm in one unit."""

MOST_CUTS = 200
MOST_JOINS = 2000


class Body(Document):
    """A connected part of a file, or what the file calls one object. The bodies follow each other in the list of
    triangles.
    """

    name: Name
    triangles: int = Field(gt=0)
    specks: bool = False
    """All the stray fragments of the file, taken together."""
    rods: int = Field(default=0, ge=0)
    """How many slender rods it is made of that end on one plane, as supports do; 0: it is something else."""


class ModelRef(Document):
    """Which model a plan is for. The unit is stored in the plan, because it can be changed after opening."""

    name: Name
    sha256: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
    grid: float = Field(gt=0)
    """What the coordinates are whole multiples of, in units of the file; makes them exact after a file."""
    bodies: tuple[Body, ...] = ()
    """Empty: all triangles are one body."""
    up_stated: bool = False
    """The format of the file says that +Y is up."""

    @property
    def tilt_as_opened(self) -> Tilt:
        """How the model stands in its file."""
        return STAND_UP if self.up_stated else Tilt()


Role = Literal["with the rest", "on its own", "left out"]


class Mending(Document):
    """How the surface is mended before anything else. The steps run in this order, on each group of bodies that
    forms one piece.

    Attributes
    ----------
    clean : bool
        Drop doubled facets and facets without area, and close cracks.
    orient : bool
        Turn facets outward.
    close : bool
        Close holes: small and flat ones flat, the others smoothly.
    drop_specks : bool
        Leave out stray fragments that are smaller than the limit for crumbs.
    rewrap : float
        Fineness, in units of the file, at which the surface is rebuilt; None: it is not.
    thin_to : int
        Number of triangles to simplify to; None: keep them all.
    """

    clean: bool = False
    orient: bool = False
    close: bool = False
    drop_specks: bool = False
    rewrap: float | None = Field(default=None, gt=0)
    thin_to: int | None = Field(default=None, ge=100)

    @property
    def does_something(self) -> bool:
        """Whether any step is wanted."""
        return self != Mending()


GuestForm = Literal["head", "hand", "forearm", "model"]


class Guest(Document):
    """Something shown at its true size inside or beside the prop: a form of the wearer, or another model.

    Attributes
    ----------
    form : GuestForm
        The name of a registered form, or "model".
    measure : float, mm
        What the form is made from: the girth of a head, the length of a hand, the largest girth of a forearm.
    model : ModelRef | None
        The model, if it is one.
    unit : Unit
        The unit of that model.
    place : Triple
        Where its origin is, in units of the opened file, so that it stays in place on the prop when the scale
        changes.
    turn : Tilt
        Its rotation.
    clearance : float, mm
        The air that is wanted around it.
    """

    id: Name
    name: Name
    form: GuestForm
    measure: float = Field(default=570.0, gt=0, le=1e5)
    model: ModelRef | None = None
    unit: Unit = "mm"
    place: Triple = (0.0, 0.0, 0.0)
    turn: Tilt = Tilt()
    clearance: float = Field(default=WEARER_CLEARANCE, ge=0, le=1e4)
    shown: bool = True

    @model_validator(mode="after")
    def _has_its_model(self) -> Guest:
        if (self.form == "model") != (self.model is not None):
            raise ValueError(tr("a guest is either a form or a model"))
        return self


@dataclass(frozen=True)
class SizedModel:
    """The part of a plan that determines the model before any cut. Results are cached by it.

    Attributes
    ----------
    factors : mm
        Millimetres in one unit of the file along each axis.
    """

    model: ModelRef
    factors: tuple[float, ...]
    roles: tuple[Role, ...]
    mending: Mending


@dataclass(frozen=True)
class Parting:
    """The part of a plan that determines which pieces there are, however they are joined, seated and judged."""

    sized: SizedModel
    recipe: tuple[Cut, ...]


class Plan(Document):
    """One complete way to tilt, cut and join a model."""

    version: Literal[1] = 1
    model: ModelRef
    unit: Unit = "mm"
    scale: float = Field(default=1.0, gt=0, le=1e6)
    stretch: Triple = (1.0, 1.0, 1.0)
    """Further factors along the axes of the file."""
    mirror: Literal["x", "y", "z"] | None = None
    """The axis of the file along which it is mirrored."""
    copies: int = Field(default=1, ge=1, le=1000)
    roles: tuple[Role, ...] = ()
    """What becomes of each body; empty: all are one piece."""
    mending: Mending = Mending()
    guests: tuple[Guest, ...] = Field(default=(), max_length=20)
    tilt: Tilt = Tilt()
    threshold: float = Field(default=THRESHOLD, ge=0.0, le=89.0)
    lift: float = Field(default=0.0, ge=0, le=100)
    """mm by which pieces stand over the bed, on support; 0: directly on it."""
    leaning: float = Field(default=LEANING, ge=0.0, le=1.0)
    """Share of the support of its best flat seat, with a twentieth of its volume added, that a piece must save to lean
    in another one; 0: the seat with the least support is taken, 1: pieces sit flat wherever they can."""
    marks: tuple[Mark, ...] = Field(default=(), max_length=2000)
    audience: Audience = Audience()
    recipe: tuple[AnyCut, ...] = Field(default=(), max_length=MOST_CUTS)
    pieces: tuple[PieceSettings, ...] = ()
    joins: tuple[AnyJoin, ...] = Field(default=(), max_length=MOST_JOINS)
    hollows: tuple[Hollow, ...] = Field(default=(), max_length=MOST_CUTS)
    posts: tuple[PostSet, ...] = Field(default=(), max_length=MOST_CUTS)
    lying: tuple[Placement, ...] = Field(default=(), max_length=20_000)
    """Where pieces lie on their beds; those that it does not name are laid around them."""
    beds_by: BedsBy = "fewest"
    second: Printer | None = None
    """A second printer, for the pieces whose wishes say so; all others are printed on the first."""
    coupon: CouponWish | None = None
    """Printed with the pieces."""
    left: tuple[LeftAlone, ...] = Field(default=(), max_length=5000)
    """What was found by a check and may stay."""

    @model_validator(mode="after")
    def _ids_differ(self) -> Plan:
        ids = [one.id for of in (self.recipe, self.joins, self.hollows, self.posts) for one in of]
        if len(set(ids)) != len(ids):
            raise ValueError(tr("two items of a plan have the same id"))
        return self

    @field_validator("stretch")
    @classmethod
    def _stretched_by_something(cls, stretch: Triple) -> Triple:
        if not all(1e-3 <= value <= 1e3 for value in stretch):
            raise ValueError(tr("each axis must be stretched by a factor from 0.001 to 1000"))
        return stretch

    @model_validator(mode="after")
    def _a_role_for_each_body(self) -> Plan:
        if self.roles and len(self.roles) != max(1, len(self.model.bodies)):
            raise ValueError(tr("there must be a role for each body"))
        if self.roles and all(role == "left out" for role in self.roles):
            raise ValueError(tr("at least one body must stay"))
        return self

    @property
    def factors(self) -> Floats:
        """Millimetres in one unit of the opened file along each axis; negative where the model is mirrored.

        Returns
        -------
        (3,) float64
        """
        signs = [-1.0 if axis == self.mirror else 1.0 for axis in "xyz"]
        return UNITS[self.unit] * self.scale * np.array(self.stretch) * signs

    @property
    def sized_model(self) -> SizedModel:
        """The part of the plan that determines the model before any cut."""
        return SizedModel(self.model, tuple(self.factors.tolist()), self.roles, self.mending)

    @property
    def parting(self) -> Parting:
        """The part of the plan that determines which pieces there are."""
        return Parting(self.sized_model, self.recipe)

    def role(self, body: int) -> Role:
        """What becomes of a body, given its number."""
        return self.roles[body] if self.roles else "with the rest"

    def with_role(self, body: int, role: Role) -> Plan:
        """The plan with another role for a body.

        Raises
        ------
        BadPlan
            There is no such body, or no body would be left.
        """
        roles = list(self.roles or ("with the rest",) * max(1, len(self.model.bodies)))
        if not 0 <= body < len(roles):
            raise BadPlan(tr("There is no body {body} in this model.", body=body))
        roles[body] = role
        plain = all(role == "with the rest" for role in roles)
        return self.changed(roles=() if plain else tuple(roles))

    def changed(self, **update: object) -> Plan:
        """A copy with other values, validated again.

        Raises
        ------
        BadPlan
            The values make no sense.
        """
        try:
            return Plan.model_validate({**{name: getattr(self, name) for name in Plan.model_fields}, **update})
        except ValidationError as error:
            raise BadPlan(first_problem(error)) from error

    def sized(self, **size: object) -> Plan:
        """The plan at another size: unit, scale, stretch or mirror. Cuts and anchors keep their places on the model.

        Raises
        ------
        BadPlan
            The values make no sense.
        """
        resized = self.changed(**size)
        return resized.carried(Move(np.diag(resized.factors / self.factors)))

    def carried(self, move: Move) -> Plan:
        """The plan with everything on the model (cuts, joins, settings of pieces, hollows, posts) moved along. What
        has a measure of its own keeps it.

        Raises
        ------
        BadPlan
            Something cannot follow this move.
        """
        numbers = {cut.id: cut.renumbered(move) for cut in self.recipe}

        def named(sides: tuple[Side, ...]) -> tuple[Side, ...]:
            return tuple(Side(cut=s.cut, side=numbers.get(s.cut, {}).get(s.side, s.side)) for s in sides)

        cuts = []
        for cut in self.recipe:
            moved = cut.carried(move)
            if isinstance(moved.reach, PieceReach):
                moved = moved.model_copy(update={"reach": PieceReach(sides=named(moved.reach.sides))})
            cuts.append(moved)
        wishes = tuple(wish.carried(move, named(wish.sides)) for wish in self.pieces)
        joins = tuple(join.carried(move, numbers.get(join.cut, {})) for join in self.joins)
        hollows = tuple(hollow.carried(move, named(hollow.sides)) for hollow in self.hollows)
        posts = tuple(one.carried(move, named(one.sides)) for one in self.posts)
        return self.changed(recipe=tuple(cuts), pieces=wishes, joins=joins, hollows=hollows, posts=posts)

    def guest(self, guest_id: str) -> Guest:
        """The guest with an id.

        Raises
        ------
        BadPlan
            There is none.
        """
        for guest in self.guests:
            if guest.id == guest_id:
                return guest
        raise BadPlan(tr("There is no guest {guest_id!r} in this plan.", guest_id=guest_id))

    def with_guest(self, guest: Guest) -> Plan:
        """The plan with a guest added, or replaced if one has the same id."""
        if any(other.id == guest.id for other in self.guests):
            return self.changed(guests=tuple(guest if other.id == guest.id else other for other in self.guests))
        return self.changed(guests=(*self.guests, guest))

    def without_guest(self, guest_id: str) -> Plan:
        """The plan without a guest."""
        return self.changed(guests=tuple(guest for guest in self.guests if guest.id != guest_id))

    def cut(self, cut_id: str) -> Cut:
        """The cut with an id.

        Raises
        ------
        BadPlan
            There is none.
        """
        for cut in self.recipe:
            if cut.id == cut_id:
                return cut
        raise BadPlan(tr("There is no cut {cut_id!r} in this plan.", cut_id=cut_id))

    def with_cut(self, cut: Cut) -> Plan:
        """The plan with a cut added at the end, or replaced if one has the same id."""
        if any(other.id == cut.id for other in self.recipe):
            return self.changed(recipe=tuple(cut if other.id == cut.id else other for other in self.recipe))
        return self.changed(recipe=(*self.recipe, cut))

    def without_cut(self, cut_id: str) -> Plan:
        """The plan without a cut, and without the joins on its contacts."""
        joins = tuple(join for join in self.joins if join.cut != cut_id)
        return self.changed(recipe=tuple(cut for cut in self.recipe if cut.id != cut_id), joins=joins)

    def parted_by(self, recipe: tuple[Cut, ...]) -> Plan:
        """The plan with other cuts. Joins stay if they are on contacts of cuts that stay unchanged."""
        stay = {cut.id for cut in recipe if cut in self.recipe}
        return self.changed(recipe=recipe, joins=tuple(join for join in self.joins if join.cut in stay))

    def join(self, join_id: str) -> Join:
        """The join with an id.

        Raises
        ------
        BadPlan
            There is none.
        """
        for join in self.joins:
            if join.id == join_id:
                return join
        raise BadPlan(tr("There is no join {join_id!r} in this plan.", join_id=join_id))

    def with_join(self, join: Join) -> Plan:
        """The plan with a join added at the end, or replaced if one has the same id."""
        if any(other.id == join.id for other in self.joins):
            return self.changed(joins=tuple(join if other.id == join.id else other for other in self.joins))
        return self.changed(joins=(*self.joins, join))

    def without_joins(self, ids: Collection[str]) -> Plan:
        """The plan without some joins, given their ids."""
        return self.changed(joins=tuple(join for join in self.joins if join.id not in ids))

    def hollow(self, hollow_id: str) -> Hollow:
        """The hollow with an id.

        Raises
        ------
        BadPlan
            There is none.
        """
        for hollow in self.hollows:
            if hollow.id == hollow_id:
                return hollow
        raise BadPlan(tr("There is no hollow {hollow_id!r} in this plan.", hollow_id=hollow_id))

    def with_hollow(self, hollow: Hollow) -> Plan:
        """The plan with a hollow added at the end, or replaced if one has the same id."""
        if any(other.id == hollow.id for other in self.hollows):
            return self.changed(hollows=tuple(hollow if one.id == hollow.id else one for one in self.hollows))
        return self.changed(hollows=(*self.hollows, hollow))

    def fresh_hollow_id(self) -> str:
        """An id that no hollow has."""
        taken = {hollow.id for hollow in self.hollows} | {side.cut for wish in self.pieces for side in wish.sides}
        return next(free_ids("h", taken))

    def fresh_join_ids(self, count: int) -> list[str]:
        """Ids that no join has and no settings of a piece refer to."""
        taken = {join.id for join in self.joins} | {side.cut for wish in self.pieces for side in wish.sides}
        return list(itertools.islice(free_ids("j", taken), count))

    @property
    def as_it_came(self) -> Plan:
        """The plan for the whole model, standing on the bed as it does in its file, with the size, marks and mending
        of this one.
        """
        nothing = {name: () for name in ("recipe", "joins", "hollows", "posts", "pieces", "lying")}
        return self.changed(**nothing, coupon=None, tilt=self.model.tilt_as_opened, lift=0.0)

    def fresh_id(self) -> str:
        """An id that no cut has and no settings of a piece refer to."""
        taken = {cut.id for cut in self.recipe} | {side.cut for wish in self.pieces for side in wish.sides}
        return next(free_ids("c", taken))

    @property
    def numbered(self) -> tuple[str, str]:
        """The id and the name for the next cut."""
        return self.fresh_id(), tr("Cut {count}", count=len(self.recipe) + 1)

    def fresh_name(self, word: str) -> str:
        """A name for a new cut.

        Parameters
        ----------
        word : str
            What it is; a number is added if there are several.
        """
        number = 1 + sum(cut.name.startswith(word) for cut in self.recipe)
        return f"{word} {number}" if number > 1 else word

    def with_wish(self, wish: PieceSettings, instead_of: PieceSettings | None = None) -> Plan:
        """The plan with settings for a piece, in place of other ones."""
        return self.changed(pieces=(*(old for old in self.pieces if old != instead_of), wish))
