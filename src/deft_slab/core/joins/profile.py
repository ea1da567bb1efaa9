"""Outlines of keys and sockets, described by tangent lines. Moved inward, all sides stay parallel, so draft and
clearance are exact on every side.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import manifold3d
import numpy as np

from ..arrays import Floats
from ..errors import JoinFailed
from ..locale.translate import tr
from .kind import AROUND, roof_over

_ROUND_STEPS = 4
_APART = np.radians(0.5)
"""Two tangent lines whose directions are nearer to each other than this are one."""


@dataclass(frozen=True, eq=False)
class KeyProfile:
    """A convex outline about its middle: the points p with n_k . p <= d_k for all k.

    Attributes
    ----------
    angles : (k,) float64, rad
        The angles of the normals n, rising.
    distances : (k,) float64, mm
    ridge : (2,) float64, mm
        Half of the middle line of its roof (0, 0 where that line is a point).
    depth : float, mm
        The distance from the roof's line to the nearest side.
    """

    angles: Floats
    distances: Floats
    ridge: Floats
    depth: float

    @classmethod
    def rounded(cls, width: float, length: float, radius: float) -> KeyProfile:
        """A rectangle with rounded corners; a circle if width and length are twice the radius.

        Parameters
        ----------
        width, length, radius : float, mm
        """
        angles = 2 * np.pi * np.arange(AROUND) / AROUND
        half = np.array([width, length]) / 2
        core = np.maximum(half - radius, 0.0)
        distances = np.abs(np.cos(angles)) * core[0] + np.abs(np.sin(angles)) * core[1] + radius
        return cls(angles, distances, np.maximum(half - half.min(), 0.0), float(half.min()))

    def peaked(self, directions: Sequence[Floats], flank: float) -> KeyProfile:
        """The outline extended to a ridge in some directions, so that a key printed sideways with a ridge upward
        needs no support. The sides of a ridge lean by ``flank`` degrees from its direction.

        Parameters
        ----------
        directions : (2,)
            Unit vectors (2,).
        """
        angles, distances = self.angles, self.distances
        for direction in directions:
            towards = float(np.arctan2(direction[1], direction[0]))
            off = _between(angles, towards)
            beside = np.pi / 2 - np.radians(flank)
            rest = np.abs(off) > beside + _APART
            new = towards + np.array([-beside, beside])
            reach = [float(self.support(np.array([np.cos(a), np.sin(a)]))) for a in new]
            angles = np.r_[angles[rest], new % (2 * np.pi)]
            distances = np.r_[distances[rest], reach]
            order = np.argsort(angles)
            angles, distances = angles[order], distances[order]
        return KeyProfile(angles, distances, self.ridge, self.depth)

    def support(self, direction: Floats) -> float:
        """The distance from the middle to the tangent line across a unit direction (2,), in mm."""
        return float((self.section(0.0) @ direction).max())

    def body(self, sections: Sequence[tuple[float, float]], more: Floats | None = None) -> manifold3d.Manifold:
        """The hull of outlines, each given as its height z and how far it is moved inward in mm, and of further
        corners (k, 3).

        Raises
        ------
        JoinFailed
            The result is not a body.
        """
        corners = [np.c_[self.section(inset), np.full(len(self.angles), z)] for z, inset in sections]
        return whole(manifold3d.Manifold.hull_points(np.concatenate(corners if more is None else [*corners, more])))

    def roof(self, inset: float, z: float) -> Floats:
        """The top (k, 3) of a roof over the outline, which is moved inward by ``inset`` and lies at the height z."""
        line = np.array([[0.0, 0.0]]) if not self.ridge.any() else np.stack([self.ridge, -self.ridge])
        return np.asarray(np.c_[line, np.full(len(line), z + roof_over(self.depth - inset))])

    def section(self, inset: float) -> Floats:
        """The corners (k, 2) of the outline in mm, counter-clockwise, with every side moved inward.

        Raises
        ------
        JoinFailed
            The outline is moved so far that nothing, or another outline, would be left.
        """
        a, d = self.angles, self.distances - inset
        b, e = np.roll(a, -1), np.roll(d, -1)
        across = np.sin(b - a)
        if np.any(across < 1e-9):
            raise JoinFailed(tr("The outline of this join is open."))
        corners = np.stack([d * np.sin(b) - e * np.sin(a), e * np.cos(a) - d * np.cos(b)], axis=1) / across[:, None]
        steps = np.roll(corners, -1, axis=0) - corners
        along = np.stack([-np.sin(b), np.cos(b)], axis=1)
        if np.einsum("ij,ij->i", steps, along).min() < -1e-9:
            raise JoinFailed(tr("There is too much draft for the height of this join, so nothing is left of its "
                                "tip."),
                             remedy=tr("Make it lower, wider or rounder, or reduce its draft."))
        return corners


class KeyOutline(Protocol):
    """What keys and sockets need to know about an outline; see ``KeyProfile``."""

    @property
    def depth(self) -> float:
        """The distance from its middle to its nearest side, in mm."""

    def body(self, sections: Sequence[tuple[float, float]], more: Floats | None = None) -> manifold3d.Manifold:
        """The body between outlines, each given as its height z and how far it is moved inward in mm, with further
        corners (k, 3).
        """

    def roof(self, inset: float, z: float) -> Floats | None:
        """The top (k, 3) of a roof over the outline moved inward; None: it has no roof."""


def key_body(
    profile: KeyOutline, low: float, height: float, draft: float, rounding: float, root: float
) -> manifold3d.Manifold:
    """A key in mm, with z along its way in.

    Parameters
    ----------
    low : float
        The height at which its sides begin to lean.
    height : float
        The height of its tip above z = 0.
    draft : float, degrees
    rounding : float
        The radius of the edge of its tip.
    root : float
        How far it extends below ``low`` with upright sides.

    Raises
    ------
    JoinFailed
        There is too much draft for its height.
    """
    lean = np.tan(np.radians(draft))
    rise = height - low
    rounding = min(rounding, 0.5 * rise, 0.5 * profile.depth)
    sections = [(low - root, 0.0), (low, 0.0)]
    if rounding > 0:
        # the arc that touches both the leaning side and the tip
        middle = (rise - rounding) * lean + rounding / np.cos(np.radians(draft))
        for angle in np.linspace(np.radians(draft), np.pi / 2, _ROUND_STEPS + 1):
            sections.append((height - rounding + rounding * np.sin(angle), middle - rounding * np.cos(angle)))
    else:
        sections.append((height, rise * lean))
    return profile.body(sections)


def socket_body(
    profile: KeyOutline, low: float, height: float, draft: float, clearance: float, root: float, roofed: bool
) -> manifold3d.Manifold:
    """The room for a key. At each height it is the key's outline grown by clearance / cos(draft), which is the
    clearance measured perpendicular to the leaning sides. It is also deeper by the clearance.

    Parameters
    ----------
    roofed : bool
        Whether it ends in a roof that needs no support, where the outline has one; otherwise the end is flat. For
        the other parameters see ``key_body``.
    """
    lean, grown = np.tan(np.radians(draft)), clearance / np.cos(np.radians(draft))
    end = height + clearance
    inset = (end - low) * lean - grown
    sections = [(low - root, -grown), (low, -grown), (end, inset)]
    return profile.body(sections, profile.roof(inset, end) if roofed else None)


def whole(body: manifold3d.Manifold) -> manifold3d.Manifold:
    """The given body.

    Raises
    ------
    JoinFailed
        It is empty or broken.
    """
    if body.status() != manifold3d.Error.NoError or body.volume() <= 0:
        raise JoinFailed(tr("The measures of this join make no body."))
    return body


def _between(angles: Floats, towards: float) -> Floats:
    """Angles (k,) relative to one of them, in rad from -pi to pi."""
    return np.asarray((angles - towards + np.pi) % (2 * np.pi) - np.pi)
