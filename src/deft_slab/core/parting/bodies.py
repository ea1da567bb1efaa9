"""The bodies of a plan before any cut: grouped by their roles, each group mended."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Hashable
from dataclasses import dataclass, replace
from functools import cached_property, reduce

import numpy as np

from ..arrays import Bools, Floats
from ..cuts import Side
from ..geometry.simplify import thinned
from ..mesh.components import body_numbers, shells_of
from ..mesh.solid import Defects, Solid
from ..plan.model import MendReport, Model
from ..plan.plan import Plan, Role
from ..progress import Job
from ..repair.mend import mended

DRAFT_TRIANGLES, DRAG_TRIANGLES = 10_000, 6_000
"""Sizes of the simplified meshes on which seats are looked for, and which answer while a handle is dragged: figures of
that one are marked as approximate. (It gives ten of them a second of a block or a bent cut; its support is then within
1.1 % of that of the whole model before any cut, measured on 12 cuts of the demo models.)"""

_SUPPORTS = re.compile(r"(supports?|stütz\w*)(?![a-z])", re.IGNORECASE)
"""What the name of a body begins with that is not to be printed: the supports that a file came with (common practice).
"""
_LOOKED_AT = 50
"""Corners of a body by which it is found again in what it was joined to."""


@dataclass(frozen=True, eq=False)
class Group:
    """Bodies that form one piece before any cut."""

    name: str
    solid: Solid


@dataclass(frozen=True, eq=False)
class Uncut:
    """The mended groups of bodies of a plan. ``key`` names the content; origins count the triangles of all groups."""

    key: Hashable
    groups: tuple[Group, ...]
    report: MendReport

    @cached_property
    def triangles(self) -> int:
        """The number of triangles of all groups."""
        return sum(len(group.solid.triangles) for group in self.groups)

    @cached_property
    def defects(self) -> Defects:
        """The defects of all groups together."""
        each = [group.solid.defects for group in self.groups]
        return Defects(
            sum(one.open_edges for one in each), sum(one.flipped_edges for one in each),
            np.concatenate([one.segments for one in each]), any(one.inside_out for one in each),
            sum(one.pinched for one in each),
        )

    def resized(self, factors: Floats) -> Uncut:
        """The groups scaled along each axis.

        Parameters
        ----------
        factors : (3,) float64
            Along the axes.
        """
        groups = tuple(Group(group.name, group.solid.resized(factors)) for group in self.groups)
        return Uncut((self.key, tuple(factors)), groups, self.report)

    def lighter(self, triangles: int, job: Job) -> Uncut:
        """A draft mesh with about so many triangles; each group keeps its share of them."""
        groups, start = [], 0
        for group in self.groups:
            share = max(500, triangles * len(group.solid.triangles) // self.triangles)
            light = thinned(group.solid, share, job)
            origin = start + np.arange(len(light.triangles), dtype=np.int32)
            groups.append(Group(group.name, Solid(light.vertices, light.triangles, origin)))
            start += len(light.triangles)
        return Uncut(("light", triangles, self.key), tuple(groups), self.report)


@dataclass(frozen=True, eq=False)
class Part:
    """A solid on its way through the recipe.

    Attributes
    ----------
    key : Hashable
        Names its content.
    group : int
        The group of bodies that it comes from.
    crumb : bool
        Whether it is a fragment that a cut left behind by accident.
    off : bool
        Whether a cut has taken it off the rest.
    down : (3,) float64 or None
        The direction that must point to the bed; None if a seat is to be found.
    """

    key: Hashable
    solid: Solid
    sides: tuple[Side, ...]
    group: int
    crumb: bool = False
    off: bool = False
    down: tuple[float, float, float] | None = None

    @property
    def anchor(self) -> tuple[float, float, float]:
        """The centre of mass, rounded to a micrometre so that it is the same after being saved and read."""
        x, y, z = (round(float(value), 3) for value in self.solid.centre_of_mass)
        return x, y, z


def mended_groups(model: Model, plan: Plan, key: Hashable, job: Job) -> Uncut:
    """Group the bodies by their roles, and mend each group."""
    chosen = _grouped(model, plan)
    groups, reports, start = [], [], 0
    rods = any(body.rods for body in model.bodies)
    for number, (name, picked) in enumerate(chosen):
        step = job.part(number / len(chosen), (number + 1) / len(chosen))
        source = model.solid if picked is None else model.solid.picked(picked)
        solid, report = mended(source, plan.mending, plan.factors, step, rods=rods)
        origin = start + np.arange(len(solid.triangles), dtype=np.int32)
        untouched = solid is model.solid and start == 0
        groups.append(Group(name, solid if untouched else Solid(solid.vertices, solid.triangles, origin)))
        reports.append(report)
        start += len(solid.triangles)
    report = reduce(MendReport.joined_with, reports)
    if len(model.bodies) > 1 and not plan.roles:
        report = replace(report, roles=_proposed_roles(model, groups[0].solid, report))
    return Uncut(key, tuple(groups), report)


def _proposed_roles(model: Model, solid: Solid, report: MendReport) -> tuple[Role, ...]:
    """The proposed roles of the bodies of a model: bodies that touch no other become pieces of their own, bodies
    that touch stay in one piece, and what looks like supplied supports or stray specks is left out. Empty if that
    changes nothing.

    Parameters
    ----------
    solid : Solid
        All bodies, mended.
    """
    from scipy.spatial import cKDTree  # a file of several bodies is rare enough to wait for it

    shells = shells_of(solid)
    of_corner = np.zeros(len(solid.vertices), np.int64)
    of_corner[solid.triangles] = body_numbers(shells)[shells.of][:, None]
    tree, ends = cKDTree(solid.vertices), np.cumsum([0, *(body.triangles for body in model.bodies)])
    within = []
    for start, end in zip(ends[:-1], ends[1:], strict=True):
        some = model.solid.triangles[np.unique(np.linspace(start, end - 1, _LOOKED_AT, dtype=int)), 0]
        within.append(int(np.bincount(of_corner[tree.query(model.solid.vertices[some])[1]]).argmax()))
    out = [
        bool(_SUPPORTS.match(body.name)) or body.rods > 0 or (body.specks and report.specks > 0)
        for body in model.bodies
    ]
    if all(out):
        return ()
    together = Counter(place for place, left in zip(within, out, strict=True) if not left)
    apart = len(together) > 1

    def role(place: int, left: bool) -> Role:
        if left:
            return "left out"
        return "on its own" if apart and together[place] == 1 else "with the rest"

    roles = tuple(role(place, left) for place, left in zip(within, out, strict=True))
    changes = [one for one, body in zip(roles, model.bodies, strict=True) if not body.specks]
    return () if all(one == "with the rest" for one in changes) else roles


def _grouped(model: Model, plan: Plan) -> list[tuple[str, Bools | None]]:
    """The name of each group of bodies, and which triangles of the model it has; None for all of them."""
    if not plan.roles:
        return [(model.name, None)]
    number = np.repeat(np.arange(len(model.bodies)), [body.triangles for body in model.bodies])
    rest = np.array([role == "with the rest" for role in plan.roles])
    groups: list[tuple[str, Bools | None]] = []
    if rest.any():
        only = model.bodies[int(np.argmax(rest))].name if rest.sum() == 1 else model.name
        groups.append((only, rest[number]))
    for body, role in enumerate(plan.roles):
        if role == "on its own":
            groups.append((model.bodies[body].name, number == body))
    return groups


def as_opened(plan: Plan, uncut: Uncut) -> float | None:
    """Millimetres in one unit of the file, if the piece is the opened surface unchanged but for its size; else None."""
    plain = not plan.roles and plan.mirror is None and plan.stretch == (1.0, 1.0, 1.0) and not uncut.report.changed
    return float(plan.factors[0]) if plain else None


def spans(uncut: Uncut, rotation: Floats) -> Floats:
    """The size of the bodies as they stand, and along the axes of their file.

    Parameters
    ----------
    rotation : (3, 3) float64

    Returns
    -------
    (2, 3) float64, mm
    """
    solids = [group.solid for group in uncut.groups]
    turned = [solid.vertices @ rotation.T for solid in solids]
    stands = np.max([one.max(axis=0) for one in turned], axis=0) - np.min([one.min(axis=0) for one in turned], axis=0)
    own = np.max([s.bounds[1] for s in solids], axis=0) - np.min([s.bounds[0] for s in solids], axis=0)
    return np.stack([stands, own])
