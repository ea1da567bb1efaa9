"""Coupons: small test prints that find the clearance of a printer."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import manifold3d
import numpy as np

from ..cache import Cache
from ..cuts import Side
from ..errors import BadPlan, JoinFailed
from ..geometry.lettering import letters
from ..joins import DowelJoin, Join, KeyJoin, Peg, Site
from ..locale.translate import tr
from ..mesh.provenance import Face
from ..mesh.solid import Solid
from ..parting.bodies import Part
from ..plan.coupon import COUPON, MOST_STEPS, CouponWish
from ..printers.profile import Printer
from .joined import Joined

STEP, STEPS = 0.05, 5
"""mm between the clearances of a coupon, and how many there are."""
_FLOOR = 1.6
"""mm under the sockets."""
_DEEP = 8.0
"""mm: a rod is tried in no deeper hole."""
_AROUND = 2.4
"""mm of wall around each."""
_LETTERS, _RELIEF = 4.0, 0.6
"""mm: height of the figures, and how far they stand out."""
_ASIDE = 20.0
"""mm between the pieces and a coupon, where they are put together."""
_GRIP = (9.0, 5.0)
"""mm: half of the foot of the key that is tried, and its height."""


def usual_steps(printer: Printer) -> tuple[float, ...]:
    """The usual clearances of a coupon in mm per side: the printer's own in the middle, none of them 0."""
    first = max(printer.clearance - STEP * (STEPS // 2), STEP)
    return tuple(round(first + STEP * n, 3) for n in range(STEPS))


def coupon(join: Join, printer: Printer, steps: Sequence[float]) -> Solid:
    """A bar with a hole for each clearance, the figure embossed beside each, and, for keys, the one key that is
    tried in all of them. In mm, standing on z = 0.

    Parameters
    ----------
    join : Join
        A key, loose or not, or a dowel hole, for its measures.
    steps : sequence of float, mm per side
        The clearances.

    Raises
    ------
    BadPlan
        There are no steps or too many, one is below 0, or the join has no hole.
    JoinFailed
        Its measures make no body.
    """
    if not 1 <= len(steps) <= MOST_STEPS or min(steps) < 0 or max(steps) > 5:
        raise BadPlan(tr("A coupon has 1 to {most_steps} clearances from 0 to 5 mm.", most_steps=MOST_STEPS))
    if not isinstance(join, (Peg, DowelJoin)):
        raise BadPlan(tr("There is no coupon for {word}, because it has no hole.", word=join.word))
    plain = _plain(join)
    deep = max(hole.depth for hole in plain.holes(max(steps)).values())
    reach = plain.reach(max(steps), printer.hole_allowance)
    _, wide = letters("0.00", _LETTERS, _RELIEF)
    pitch = max(2 * reach + _AROUND, wide + 2.0)
    size = np.array([pitch * len(steps) + _AROUND, 2 * reach + 2 * _AROUND + _LETTERS + 2.0, deep + _FLOOR])
    bar = manifold3d.Manifold.cube(tuple(size))
    across = _LETTERS + 2.0 + _AROUND + reach
    frame = np.diag([1.0, -1.0, -1.0])
    for number, clearance in enumerate(steps):
        place = np.array([_AROUND / 2 + pitch * (number + 0.5), across, size[2]])
        site = Site(place, frame, 0.0, 0.0, clearance, printer.hole_allowance, 0.0)
        # the hole of the second piece, which lies below here
        bar -= plain.build(site).removed["second"]
        figure, width = letters(f"{clearance:.2f}", _LETTERS, _RELIEF + 0.2)
        bar += figure.translate((place[0] - width / 2, 1.5, size[2] - 0.2))
    if isinstance(plain, Peg):
        key, half = _tried(plain)
        bar += key.translate((half + 1.0, size[1] + half + 4.0, 0.0))
    return Solid.from_manifold(bar, {})


def with_coupon(joined: Joined, wish: CouponWish, printer: Printer, kept: Cache) -> Joined:
    """The parts followed by a coupon; without one if it cannot be made for this join."""
    try:
        made = kept.once((COUPON, wish, printer.clearance, printer.hole_allowance),
                         lambda: coupon(wish.join, printer, wish.steps))
    except (BadPlan, JoinFailed):  # which a remark tells
        return joined
    low = np.min([part.solid.vertices.min(axis=0) for part in joined.parts], axis=0)
    high = np.max([part.solid.vertices.max(axis=0) for part in joined.parts], axis=0)
    aside = np.array([high[0] + _ASIDE, low[1], low[2]]) - made.vertices.min(axis=0)
    solid = Solid(made.vertices + aside, made.triangles, np.full(len(made.triangles), -1, np.int32), (Face(COUPON),))
    part = Part((COUPON, wish, printer.clearance, printer.hole_allowance, aside.tobytes()), solid,
                (Side(cut=COUPON, side=1),), 0, down=(0.0, 0.0, -1.0))
    number = len(joined.parts)
    return replace(joined, parts=[*joined.parts, part], names={**joined.names, number: "Coupon"},
                   kinds={**joined.kinds, number: COUPON})


def _plain(join: Peg | DowelJoin) -> Peg | DowelJoin:
    """A join without what suits only the seats of one prop: ridges, roofs over a base, the carrying piece, deep
    holes.
    """
    # the sides of one that follows a contact are tried on a round one
    round_one = {"outline": "round"} if isinstance(join, Peg) and join.outline == "contact" else {}
    roofs = {"roofed_first": False, "roofed_second": False}
    if isinstance(join, KeyJoin):
        return join.model_copy(update={"ridges": (), "roofed": False, "carrier": "first", **round_one})
    if isinstance(join, DowelJoin):
        depths = {"depth_first": min(join.depth_first, _DEEP), "depth_second": min(join.depth_second, _DEEP)}
        return join.model_copy(update={**roofs, **depths})
    return join.model_copy(update={"ridges": (), **roofs, **round_one})


def _tried(peg: Peg) -> tuple[manifold3d.Manifold, float]:
    """The key on a foot to hold it by, standing up; and half the size of the foot, in mm."""
    from ..joins.key_bodies import key_of

    half = max(_GRIP[0], max(peg.sides) / 2 + 1.0)
    foot = manifold3d.Manifold.cube((2 * half, 2 * half, _GRIP[1])).translate((-half, -half, 0.0))
    site = Site(np.array([0.0, 0.0, _GRIP[1]]), np.eye(3), 0.0, 0.0, 0.0, 0.0, 0.0)
    return foot + key_of(peg.shape, site, "first"), half
