"""The bodies of keys. Imported only when one is made."""

from __future__ import annotations

import math

import manifold3d
import numpy as np
import shapely

from ..arrays import Floats
from ..errors import JoinFailed
from ..geometry.blanks import placed
from ..locale.translate import tr
from .kind import PegShape, Site, Which, other
from .outline_key import Followed
from .profile import KeyProfile, key_body, socket_body

_LYING = math.sqrt(0.5)
ROOT = 0.4
"""mm by which a key goes on into its carrier, so that both become one."""


def profile_of(peg: PegShape, site: Site, axes: Floats) -> KeyProfile | Followed:
    """The outline of a key about its place, in a frame with the given axes as rows (3, 3).

    Raises
    ------
    JoinFailed
        It cannot be as small or as large as that.
    """
    if peg.inset is not None:
        return _followed(peg, peg.inset, site, axes)
    across = [axes[:2] @ np.array(ridge) for ridge in peg.ridges]
    seen = [one / np.linalg.norm(one) for one in across if np.linalg.norm(one) > 0.1]
    return KeyProfile.rounded(*peg.sides, peg.radius).peaked(seen, peg.flank)


def _followed(peg: PegShape, inset: float, site: Site, axes: Floats) -> Followed:
    """The outline of that part of a contact that a place is in, or nearest to."""
    ground = site.ground
    if ground is None or not ground.flat:
        raise JoinFailed(tr("A key that follows the contact's outline needs a flat contact."))
    middle = site.frame[:2] @ site.place
    part = min(ground.region.geoms, key=lambda one: float(one.distance(shapely.Point(middle))))
    turn = axes[:2] @ site.frame[:2].T
    local = shapely.transform(part, lambda corners: (corners - middle) @ turn.T)
    deepest = peg.height * math.tan(math.radians(peg.draft)) + min(peg.rounding, 0.5 * peg.height)
    return Followed.within(local, inset, deepest)


def rim_of(peg: PegShape, site: Site) -> Floats:
    """The outline of a key on the face of the contact.

    Returns
    -------
    (k, 3) float64, mm, model frame

    Raises
    ------
    JoinFailed
        There is no such outline.
    """
    axes = site.axes("first", peg.along)
    return np.asarray(profile_of(peg, site, axes).section(0.0) @ axes[:2] + site.place)


def on_site(body: manifold3d.Manifold, site: Site, axes: Floats) -> manifold3d.Manifold:
    """A body moved from a frame on the contact, whose axes are the rows (3, 3), to the model frame."""
    return placed(body, axes.T, site.place)


def key_of(peg: PegShape, site: Site, carrier: Which, root: float = ROOT) -> manifold3d.Manifold:
    """The key that stands out of its carrier.

    Parameters
    ----------
    root : float, mm
        How far it continues behind the face.

    Raises
    ------
    JoinFailed
    """
    axes = site.axes(carrier, peg.along)
    low, high = site.span(carrier)
    body = key_body(profile_of(peg, site, axes), low, high + peg.height, peg.draft, peg.rounding, root)
    return on_site(body, site, axes)


def lying_key(peg: PegShape, site: Site) -> tuple[manifold3d.Manifold, Floats]:
    """A key for both sides, and the direction (3,) that points down when it lies on the bed. It has a flat along its
    length, so that it prints lying and is strong along its length. A key that follows the contact is wide and
    low, and lies on a tip.

    Raises
    ------
    JoinFailed
        It cannot be made.
    """
    axes = site.axes("first", peg.along)
    key = key_of(peg, site, "first", 0.0) + key_of(peg, site, "second", 0.0)
    if peg.inset is not None:
        return key, -axes[2]
    half = min(peg.sides) / 2
    tip = half - peg.height * np.tan(np.radians(peg.draft))
    # of a round one a flat from where its sides lean by 45 degrees on; never more than its tip has
    round_one = peg.radius > 0.9 * half
    flat = min(_LYING * half if round_one else tip, 0.95 * tip)
    up = axes[0] if peg.sides[0] <= peg.sides[1] else axes[1]
    return key.trim_by_plane(tuple(up), float(up @ site.place) - flat), -up


def hole_in(of: Which, site: Site, wide: float, depth: float, roofed: bool = False) -> manifold3d.Manifold:
    """A round hole in a piece.

    Parameters
    ----------
    wide, depth : float, mm
        Its diameter and depth.
    roofed : bool
        See ``profile.socket_body``.
    """
    low, high = site.span(other(of))
    body = socket_body(KeyProfile.rounded(wide, wide, wide / 2), low, high + depth, 0.0, 0.0, ROOT, roofed)
    return on_site(body, site, site.axes(other(of)))


def round_rim(wide: float, site: Site) -> Floats:
    """The outline of a round hole on the face of the contact.

    Returns
    -------
    (k, 3) float64, mm, model frame
    """
    return np.asarray(KeyProfile.rounded(wide, wide, wide / 2).section(0.0) @ site.axes("first")[:2] + site.place)


def socket_of(peg: PegShape, site: Site, carrier: Which, roofed: bool) -> manifold3d.Manifold:
    """The socket for a key in the other piece.

    Raises
    ------
    JoinFailed
        It cannot be made.
    """
    axes = site.axes(carrier, peg.along)
    low, high = site.span(carrier)
    body = socket_body(
        profile_of(peg, site, axes), low, high + peg.height, peg.draft, site.clearance, ROOT, roofed
    )
    return on_site(body, site, axes)
