"""Marks on the surface (show faces, hold spots and clear spots) and the audience that looks at the prop.

A mark stores where it is, in the units of the file, and not which triangles it covers. It therefore stays in place
when the surface is mended, simplified, scaled or cut.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field, field_validator

from ..arrays import Bools, Floats, Ints
from ..locale.translate import tr
from .base import Document, Triple, of_length_one

Looking = Literal["everywhere", "all round", "front", "above"]
FoundKind = Literal["island", "pocket", "jump", "neck", "thin wall", "groove"]
Meaning = Literal["show", "hold", "clear", "never", "prefer"]

SHOW, HOLD, CLEAR = 1, 2, 4
"""Bits of a facet that is a show face, a hold spot, a clear spot; see ``judge.marks.Marked.bits``."""
MOST_PLACES = 5_000
"""In one stroke of the brush."""


class Audience(Document):
    """From where the finished prop is looked at. Directions are in the axes of the file.

    Attributes
    ----------
    looking : Looking
        From everywhere; from all round, slightly below to well above the horizontal; or within ``spread`` degrees
        of the front or of straight above.
    front, up : Triple
        Unit vectors from the prop to a viewer in front of it, and to the sky.
    """

    looking: Looking = "everywhere"
    front: Triple = (0.0, -1.0, 0.0)
    up: Triple = (0.0, 0.0, 1.0)
    spread: float = Field(default=60.0, ge=5, le=180)

    @field_validator("front", "up")
    @classmethod
    def _of_unit_length(cls, direction: Triple) -> Triple:
        return of_length_one(direction, tr("a direction of the audience"))

    def looks_from(self, directions: Floats) -> Bools:
        """Whether somebody looks at the prop from each of some directions.

        Parameters
        ----------
        directions : (n, 3) float64
            Unit vectors, from the prop outward.

        Returns
        -------
        (n,) bool
        """
        rise = directions @ np.array(self.up)
        if self.looking == "everywhere":
            return np.ones(len(directions), np.bool_)
        if self.looking == "all round":
            return np.asarray((rise >= np.sin(np.radians(-20.0))) & (rise <= np.sin(np.radians(45.0))))
        towards = np.array(self.front if self.looking == "front" else self.up)
        return np.asarray(directions @ towards >= np.cos(np.radians(self.spread)))


class Region(Document):
    """A part of the surface, described by a shape.

    Attributes
    ----------
    shape
        "brush": what lies within ``reach`` of ``places`` and faces the same way. "ball" and "box": around the
        first place, with half sizes ``half``. "grown": from the first place across smooth surface up to creases
        of ``limit`` degrees, and no farther than ``reach`` unless that is 0. "seen": what ``audience`` sees more
        than ``limit`` of. "detail": the share ``limit`` of the surface that is most curved. "border": what a
        border encloses that runs between ``places``, just inside it, and ``beyond``, just outside it, where the
        surface is within ``reach`` of these and faces the same way.
    facing : tuple[Triple, ...]
        The outward direction of the surface at each of the places, then at those in ``beyond``.
    """

    shape: Literal["brush", "ball", "box", "grown", "seen", "detail", "border"]
    places: tuple[Triple, ...] = Field(default=(), max_length=MOST_PLACES)
    beyond: tuple[Triple, ...] = Field(default=(), max_length=MOST_PLACES)
    facing: tuple[Triple, ...] = Field(default=(), max_length=2 * MOST_PLACES)
    reach: float = Field(default=0.0, ge=0)
    half: Triple = (0.0, 0.0, 0.0)
    limit: float = Field(default=30.0, ge=0, le=180)
    audience: Audience | None = None

    def covers(self, points: Floats, normals: Floats, facets: Bools) -> Bools:
        """Whether the region covers each of some points of the surface, more finely than by whole facets where its
        shape allows that.

        Parameters
        ----------
        points, normals : (n, 3) float64
        facets : (n,) bool
            Whether the region covers the facet that each point lies on.

        Returns
        -------
        (n,) bool
        """
        if self.shape in ("ball", "box") and self.places:
            off = np.abs(points - np.array(self.places[0])) / np.maximum(np.array(self.half), 1e-12)
            return np.asarray((off <= 1.0).all(axis=1) if self.shape == "box" else (off**2).sum(axis=1) <= 1.0)
        if self.shape == "grown" and self.places and self.reach > 0:
            off = np.linalg.norm(points - np.array(self.places[0]), axis=1)
            return np.asarray(facets & (off <= self.reach))
        if self.shape not in ("brush", "border") or not self.places:
            return facets
        near, nearest = self.nearest_places(points, normals)
        return np.asarray(near if self.shape == "brush" else np.where(near, nearest < len(self.places), facets))

    def nearest_places(self, points: Floats, normals: Floats) -> tuple[Bools, Ints]:
        """The nearest place of the region within reach of each point. The surface must face the same way there, so
        that a mark does not reach through a thin wall.

        Parameters
        ----------
        points, normals : (n, 3) float64

        Returns
        -------
        (n,) bool, (n,) int64
            Whether there is such a place, and its number, counted through ``places`` and then ``beyond``.
        """
        from scipy.spatial import cKDTree  # plans are read and shown without it

        places, facing = np.array((*self.places, *self.beyond)), np.array(self.facing)
        distance, nearest = cKDTree(places).query(points, distance_upper_bound=max(self.reach, 1e-12))
        near = np.isfinite(distance)
        if len(facing) == len(places):
            at = np.flatnonzero(near)
            near[at] = np.einsum("ij,ij->i", normals[at], facing[nearest[at]]) > 0.0
        return near, nearest


class Stroke(Region):
    """A part of the surface that is marked or, with ``erase``, no longer marked. Strokes take effect in their order."""

    erase: bool = False

    @classmethod
    def of(cls, region: Region, **changes: object) -> Stroke:
        """A region as a stroke, with some of its values changed."""
        known = {name: getattr(region, name) for name in cls.model_fields if hasattr(region, name)}
        return cls.model_validate({**known, **changes})


class Mark(Stroke):
    """A stroke with a meaning for the plan.

    Attributes
    ----------
    meaning : Meaning
        "show": a face that must come out clean. "hold": where support is wanted. "clear": where support is
        refused. "never": where no seam may run. "prefer": where a seam is welcome.
    """

    meaning: Meaning


class LeftAlone(Document):
    """A finding of Check that a person has accepted as it is.

    Attributes
    ----------
    place : Triple
        Its place on the model, in the units of the file.
    """

    kind: FoundKind
    place: Triple
