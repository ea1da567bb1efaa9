"""Parts of the surface that are marked: show faces, hold and clear spots; and the audience that looks at the prop.

A mark says where it is, in units of the file, and not which triangles it takes: so it stays where it is when the
surface is mended, thinned, rescaled or cut.
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
    """Where the finished prop is looked at from. Directions are of the file's axes.

    Attributes
    ----------
    looking : Looking
        From everywhere; all round, from a little below to well above the level; within ``spread`` degrees of
        the front, or of straight above.
    front, up : Triple
        Unit vectors from the prop to whoever stands before it, and to the sky.
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
        """(n,) which of some unit vectors (n, 3), from the prop outward, somebody looks from."""
        rise = directions @ np.array(self.up)
        if self.looking == "everywhere":
            return np.ones(len(directions), np.bool_)
        if self.looking == "all round":
            return np.asarray((rise >= np.sin(np.radians(-20.0))) & (rise <= np.sin(np.radians(45.0))))
        towards = np.array(self.front if self.looking == "front" else self.up)
        return np.asarray(directions @ towards >= np.cos(np.radians(self.spread)))


class Region(Document):
    """A part of the surface.

    Attributes
    ----------
    shape
        "brush", within ``reach`` of ``places`` and facing as there; "ball" and "box", around the first of them,
        of half sizes ``half``; "grown" from the first place over smooth surface up to creases of ``limit``
        degrees, and no farther than ``reach`` if that is not 0; "seen", more than ``limit`` of it by
        ``audience``; "detail", the share ``limit`` of the surface with the most curvature; "border", what a
        border encloses that runs between ``places``, just within it, and ``beyond``, just out of it, where the
        surface is as near as ``reach`` and faces as there.
    facing : tuple[Triple, ...]
        The way the surface looks at each of the places, then at those beyond.
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
        """(n,) which points of the surface it takes, where that can be told finer than by facets.

        Parameters
        ----------
        points, normals : (n, 3) float64
        facets : (n,) bool
            Whether it takes the facet that the point lies on.
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
        """((n,) which points have one of its places, or those beyond, within reach, where the surface faces as there,
        so that it does not go through a thin wall; (n,) the number of that place).

        Parameters
        ----------
        points, normals : (n, 3) float64
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
    """A part of the surface that is marked, or with ``erase`` no longer marked. Strokes act in their order."""

    erase: bool = False

    @classmethod
    def of(cls, region: Region, **changes: object) -> Stroke:
        """A region as a stroke, with what is changed of it."""
        known = {name: getattr(region, name) for name in cls.model_fields if hasattr(region, name)}
        return cls.model_validate({**known, **changes})


class Mark(Stroke):
    """A stroke that means something to the plan.

    Attributes
    ----------
    meaning : Meaning
        A show face, which must come out clean; a hold spot, where support is wanted; a clear spot, where it is
        refused; where no seam may run, "never"; where one is welcome, "prefer".
    """

    meaning: Meaning


class LeftAlone(Document):
    """Something that was found, and that a person has said may stay.

    Attributes
    ----------
    place : Triple
        On the model, in units of the file.
    """

    kind: FoundKind
    place: Triple
