"""Seams: the closed curves where a cut face meets the surface of the model."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..arrays import Floats
from ..mesh.solid import Solid
from ..results.outcome import Seam, Stretch
from .marked_facets import Marked


def seam_of(
    pieces: Sequence[Solid], owner: str, exposed: Floats | None, share: float = 1.0, marks: Marked | None = None
) -> Seam:
    """The seam and the cut area of one cut, counted once.

    Parameters
    ----------
    pieces : Sequence[Solid]
        The pieces on one side of the cut; or on all its sides, with a share of 1/2, because each seam is then met
        twice.
    owner : str
        The id of the cut.
    exposed : (source triangles,) float64
        The exposure of the uncut model. Without it nothing counts as in sight, and the seam is not divided into
        stretches.
    marks : Marked | None
        The marks of the source triangles; none by default.
    """
    segments, sources, outward, area = [np.empty((0, 2, 3))], [np.empty(0, np.int64)], [np.empty((0, 3))], 0.0
    for piece in pieces:
        on_cut = piece.by(owner)
        if not on_cut.any():
            continue
        area += float(piece.areas[on_cut].sum())
        edges = np.concatenate([piece.triangles[on_cut][:, [k, (k + 1) % 3]] for k in range(3)])
        skin = np.flatnonzero(piece.origin >= 0)
        around = np.concatenate([piece.triangles[skin][:, [(k + 1) % 3, k]] for k in range(3)])
        count = np.int64(len(piece.vertices))
        cut_keys = edges[:, 0].astype(np.int64) * count + edges[:, 1]
        skin_keys = around[:, 0].astype(np.int64) * count + around[:, 1]
        shared = np.flatnonzero(np.isin(skin_keys, cut_keys))
        segments.append(piece.vertices[around[shared]])
        sources.append(piece.origin[skin[shared % len(skin)]].astype(np.int64) if len(skin) else sources[0])
        outward.append(piece.normals[skin[shared % len(skin)]] if len(skin) else outward[0])
    lines, source = np.concatenate(segments), np.concatenate(sources)
    lengths = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)
    seen = exposed[source] if exposed is not None else np.zeros(len(lines))
    parts = _stretches(lines, lengths, seen, np.concatenate(outward), share) if exposed is not None else ()
    across = barred = welcome = 0.0
    if marks is not None:
        across, barred = float(lengths @ marks.show[source]), float(lengths @ marks.never[source])
        welcome = float((lengths * seen) @ marks.prefer[source])
    return Seam(
        lines, seen, share * float(lengths.sum()), share * float(lengths @ seen), share * area, share * across, parts,
        share * barred, share * welcome,
    )


def _stretches(lines: Floats, lengths: Floats, seen: Floats, outward: Floats, share: float) -> tuple[Stretch, ...]:
    """A seam divided into stretches by cells of space, about a dozen along it; those that are seen most first."""
    total = float(lengths.sum())
    if total <= 0:
        return ()
    middles = lines.mean(axis=1)
    cell = max(total * share / 12, 8.0)
    _, of = np.unique(np.floor((middles - middles.min(axis=0)) / cell).astype(np.int64), axis=0, return_inverse=True)
    of = of.ravel()
    found = []
    for number in range(int(of.max()) + 1):
        own = np.flatnonzero(of == number)
        weight = lengths[own] + 1e-12
        centre = np.average(middles[own], axis=0, weights=weight)
        nearest = own[int(np.argmin(np.linalg.norm(middles[own] - centre, axis=1)))]
        facing = np.average(outward[own], axis=0, weights=weight)
        length = float(np.linalg.norm(facing))
        facing = facing / length if length > 1e-9 else outward[nearest]
        sight = share * float(lengths[own] @ seen[own])
        found.append(Stretch(middles[nearest], facing, share * float(lengths[own].sum()), sight))
    return tuple(sorted(found, key=lambda one: -one.in_sight))
