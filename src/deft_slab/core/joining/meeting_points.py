"""Meeting points: where the seams of three or more contacts come together, and the errors of their joins add up."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np
import shapely

from ..arrays import Floats
from ..document.base import triple
from ..joins.reports import MeetingPoint
from .contacts import Contact

TOGETHER = 2.0
"""mm within which outlines come together."""
_FINE = 0.5
_LEAST = 3


def meetings_of(contacts: Sequence[Contact], errors: Mapping[int, float], usual: float) -> tuple[MeetingPoint, ...]:
    """Points where the outlines of three or more contacts come within 2 mm of each other on the outside, those with
    most contacts first.

    Parameters
    ----------
    errors : mapping of int to float, mm
        How far each contact may sit off, by its number.
    usual : float, mm
        The same for the others. Independent errors add up to sqrt(n) times one of them, at worst to n times (root
        of the sum of squares; any textbook on tolerances).
    """
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    seen = [_seam(contact) for contact in contacts]
    points = np.concatenate([np.empty((0, 3)), *seen])
    own = np.repeat(np.arange(len(contacts)), [len(one) for one in seen])
    if len(contacts) < _LEAST or not len(points):
        return ()
    tree = cKDTree(points)
    near = tree.query_pairs(TOGETHER, output_type="ndarray")
    pairs = np.concatenate([near, near[:, ::-1]])
    several = np.unique(np.stack([pairs[:, 0], own[pairs[:, 1]]], axis=1), axis=0)
    others = several[several[:, 1] != own[several[:, 0]]]
    meets = np.flatnonzero(np.bincount(others[:, 0], minlength=len(points)) >= _LEAST - 1)
    if not len(meets):
        return ()
    place = np.full(len(points), -1)
    place[meets] = np.arange(len(meets))
    linked = near[(place[near] >= 0).all(axis=1)]
    graph = coo_matrix((np.ones(len(linked)), (place[linked[:, 0]], place[linked[:, 1]])), shape=(len(meets),) * 2)
    count, cluster = connected_components(graph, directed=False)
    found = []
    for n in range(count):
        here = points[meets[cluster == n]]
        middle = here[int(np.argmin(np.linalg.norm(here - here.mean(axis=0), axis=1)))]
        # a long cluster is two seams side by side: where they run together counts as one place
        around = np.unique(own[tree.query_ball_point(middle, TOGETHER)])
        each = [errors.get(int(k), usual) for k in around]
        found.append(MeetingPoint(triple(middle), tuple(int(k) for k in around), math.hypot(*each), sum(each)))
    return tuple(sorted(found, key=lambda one: -one.worst))


def _seam(contact: Contact) -> Floats:
    """Points along the outline of a contact that are seen, because no other cut ends it there.

    Returns
    -------
    (k, 3) float64, mm
    """
    rings = [
        np.asarray(shapely.segmentize(shapely.LineString(ring.coords), _FINE).coords)[:-1]
        for part in contact.region.geoms for ring in (part.exterior, *part.interiors)
    ]
    across = np.concatenate(rings)
    return contact.on_face(across[~contact.ends(across)])
