"""Compiled loops of exact sections.

A vertex at the level itself counts as above it. So a facet that a level crosses has one edge that rises through it
and one that falls. The line through the facet runs from the falling edge to the rising one, with the solid on its
left, and continues in the facet across the rising edge. No facet is crossed twice by a level, and no two numbers are
ever tested for equality: on a closed surface every line closes.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from ..figures.column_kernels import FAST
from ..mesh.array_kernels import add_up


@njit(**FAST)
def root_of(parent, n):
    """The root of a tree. Nodes on the way are attached higher up."""
    while parent[n] != n:
        parent[n] = parent[parent[n]]
        n = parent[n]
    return n


@njit(**FAST)
def across_edges(triangles, count):
    """The facet across the edge from each vertex to the next of each facet; -1 if there is none. Where more than two
    facets share an edge they are paired in the order in which they come, each with one that walks the edge the
    other way.

    Parameters
    ----------
    triangles : (m, 3)
        Indices of vertices.
    count : int
        How many vertices there are.

    Returns
    -------
    (m, 3) int
    """
    facets = len(triangles)
    start = np.zeros(count + 1, np.int64)
    for f in range(facets):
        for e in range(3):
            start[min(triangles[f, e], triangles[f, (e + 1) % 3]) + 1] += 1
    add_up(start)
    filled = start[:count].copy()
    halves = np.empty(3 * facets, np.int32)
    found = np.full((facets, 3), -1, np.int32)
    for f in range(facets):
        for e in range(3):
            a, b = triangles[f, e], triangles[f, (e + 1) % 3]
            low, high = min(a, b), max(a, b)
            # those without a partner yet lie between the start of this corner and what is filled
            paired = False
            for n in range(start[low], filled[low]):
                other = halves[n]
                g, h = other // 3, other % 3
                c, d = triangles[g, h], triangles[g, (h + 1) % 3]
                if c == b and d == a and max(c, d) == high:
                    found[f, e], found[g, h] = g, f
                    filled[low] -= 1
                    halves[n] = halves[filled[low]]
                    paired = True
                    break
            if not paired:
                halves[filled[low]] = 3 * f + e
                filled[low] += 1
    return found


@njit(**FAST)
def levels_passed(heights, triangles, levels):
    """The first level that crosses each facet, and the one after the last.

    Parameters
    ----------
    heights : (n,)
        The heights of the vertices.
    levels
        Rising heights.

    Returns
    -------
    (m,) int, (m,) int
    """
    first = np.empty(len(triangles), np.int32)
    last = np.empty(len(triangles), np.int32)
    count = len(levels)
    # levels are nearly even: the guess is off by a few at most
    step = (levels[count - 1] - levels[0]) / max(count - 1, 1)
    for f in range(len(triangles)):
        p, q, r = heights[triangles[f, 0]], heights[triangles[f, 1]], heights[triangles[f, 2]]
        low, high = min(p, q, r), max(p, q, r)
        k = 0 if step <= 0.0 else min(max(int((low - levels[0]) / step), 0), count)
        while k > 0 and levels[k - 1] > low:
            k -= 1
        while k < count and levels[k] <= low:
            k += 1
        first[f] = k
        while k < count and levels[k] <= high:
            k += 1
        last[f] = k
    return first, last


@njit(**FAST)
def crossings(first, last, count):
    """How many facets each level crosses.

    Returns
    -------
    (count,) int
    """
    found = np.zeros(count + 1, np.int64)
    for f in range(len(first)):
        found[first[f]] += 1
        found[last[f]] -= 1
    total = 0
    for k in range(count):
        total += found[k]
        found[k] = total
    return found[:count]


@njit(**FAST)
def walked(vertices, triangles, across, first, last, levels, low, high):
    """The closed outlines of the levels low to high - 1. Outlines that do not close, as on an open surface, are left
    out.

    Returns
    -------
    (k, 2), (loops + 1,), (levels + 1,)
        The points, where the points of each outline begin, and where the outlines of each level begin.
    """
    span = high - low
    begin = np.zeros(span + 1, np.int64)
    for f in range(len(triangles)):
        for k in range(max(first[f], low), min(last[f], high)):
            begin[k - low + 1] += 1
    add_up(begin)
    total = begin[span]
    passed = np.empty(total, np.int32)
    filled = begin[:span].copy()
    for f in range(len(triangles)):
        for k in range(max(first[f], low), min(last[f], high)):
            passed[filled[k - low]] = f
            filled[k - low] += 1
    points = np.empty((total, 2))
    start = np.zeros(total + 1, np.int64)
    of_level = np.zeros(span + 1, np.int64)
    waiting = np.full(len(triangles), -1, np.int32)
    loops = made = 0
    for k in range(span):
        level = levels[low + k]
        for n in range(begin[k], begin[k + 1]):
            waiting[passed[n]] = k
        for n in range(begin[k], begin[k + 1]):
            f = passed[n]
            if waiting[f] != k:
                continue
            opened = made
            closed = False
            g = f
            while True:
                if g < 0 or waiting[g] != k:
                    closed = g == f
                    break
                waiting[g] = -1
                # the edge that rises through the level
                e = 0
                while not (vertices[triangles[g, e], 2] < level and vertices[triangles[g, (e + 1) % 3], 2] >= level):
                    e += 1
                a, b = triangles[g, e], triangles[g, (e + 1) % 3]
                if a > b:  # the same number from both sides of the edge
                    a, b = b, a
                share = (level - vertices[a, 2]) / (vertices[b, 2] - vertices[a, 2])
                points[made, 0] = vertices[a, 0] + share * (vertices[b, 0] - vertices[a, 0])
                points[made, 1] = vertices[a, 1] + share * (vertices[b, 1] - vertices[a, 1])
                g = across[g, e]
                made += 1
            if closed:
                loops += 1
                start[loops] = made
            else:
                made = opened
        of_level[k + 1] = loops
    return points[:made].copy(), start[: loops + 1].copy(), of_level


@njit(**FAST)
def loop_areas(points, start):
    """The signed area of each closed outline, positive if it is counter-clockwise.

    Returns
    -------
    (loops,)
    """
    areas = np.empty(len(start) - 1)
    for n in range(len(start) - 1):
        x0, y0 = points[start[n], 0], points[start[n], 1]
        total = 0.0
        for i in range(start[n], start[n + 1]):
            j = i + 1 if i + 1 < start[n + 1] else start[n]
            total += (points[i, 0] - x0) * (points[j, 1] - y0) - (points[j, 0] - x0) * (points[i, 1] - y0)
        areas[n] = 0.5 * total
    return areas


@njit(**FAST)
def _around(triangles, rises, count):
    """The facets around each vertex, and the sum of what they rise by.

    Returns
    -------
    (count + 1,) begin, facets, (count,) sums
    """
    begin = np.zeros(count + 1, np.int64)
    for f in range(len(triangles)):
        for e in range(3):
            begin[triangles[f, e] + 1] += 1
    add_up(begin)
    filled = begin[:count].copy()
    around = np.empty(3 * len(triangles), np.int32)
    facing = np.zeros(count)
    for f in range(len(triangles)):
        for e in range(3):
            v = triangles[f, e]
            around[filled[v]] = f
            filled[v] += 1
            facing[v] += rises[f]
    return begin, around, facing


@njit(**FAST)
def begun(heights, triangles, rises, order):
    """For each vertex how much higher the surface that begins there meets surface that began lower; inf if it never
    does; -1 if none begins there with solid above it.

    This is a merge tree of the height over the surface: vertices are taken in rising order, and where two parts meet,
    the younger one ends.

    Parameters
    ----------
    rises : (m,)
        The area of each facet times the z of its normal.
    order
        Vertices from the lowest up.

    Returns
    -------
    (n,)
    """
    count = len(heights)
    begin, around, facing = _around(triangles, rises, count)
    rank = np.empty(count, np.int32)
    for n in range(count):
        rank[order[n]] = n
    parent = np.full(count, -1, np.int64)
    hangs = np.full(count, -1.0)
    for n in range(count):
        v = order[n]
        own = v
        parent[v] = v
        alone = True
        for i in range(begin[v], begin[v + 1]):
            for e in range(3):
                w = triangles[around[i], e]
                if rank[w] >= n:
                    continue
                alone = False
                root = root_of(parent, np.int64(w))
                if root == own:
                    continue
                if own != v:  # two parts meet: the younger one ends
                    younger, older = (own, root) if rank[own] > rank[root] else (root, own)
                    if hangs[younger] == np.inf:
                        hangs[younger] = heights[v] - heights[younger]
                    parent[younger] = older
                    root = older
                own = root
                parent[v] = own
        if alone and begin[v + 1] > begin[v] and facing[v] < 0.0:
            hangs[v] = np.inf
    return hangs
