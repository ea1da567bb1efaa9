"""Compiled loops for ``union_find``."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def numbered(pairs, count):
    """Connected components by union-find: the lower number becomes the root, with path halving (Tarjan and van
    Leeuwen 1984).
    """
    above = np.arange(count)
    for n in range(len(pairs)):
        a, b = pairs[n, 0], pairs[n, 1]
        while above[a] != a:
            above[a] = above[above[a]]
            a = above[a]
        while above[b] != b:
            above[b] = above[above[b]]
            b = above[b]
        if a < b:
            above[b] = a
        elif b < a:
            above[a] = b
    found = np.empty(count, np.int64)
    names = 0
    for n in range(count):
        if above[n] == n:
            found[n] = names
            names += 1
        else:  # what it hangs on has a lower number, and its name already
            found[n] = found[above[n]]
    return found


@njit(cache=True, nogil=True)
def by_kind(bits):
    """Equal rows by a hash table with linear probing, at most half full (Knuth, The Art of Computer Programming 3,
    section 6.4, algorithm L).
    """
    count = len(bits)
    size = 2
    while size < 2 * count:
        size *= 2
    mask = np.uint64(size - 1)
    table = np.full(size, -1, np.int64)
    first = np.empty(count, np.int64)
    number = np.empty(count, np.int64)
    kinds = 0
    for n in range(count):
        a, b, c = bits[n, 0], bits[n, 1], bits[n, 2]
        mixed = a * np.uint64(0x9E3779B97F4A7C15)
        mixed = (mixed ^ (mixed >> np.uint64(29))) + b * np.uint64(0xBF58476D1CE4E5B9)
        mixed = (mixed ^ (mixed >> np.uint64(32))) + c * np.uint64(0x94D049BB133111EB)
        at = (mixed ^ (mixed >> np.uint64(31))) & mask
        while True:
            kind = table[at]
            if kind < 0:
                table[at] = kinds
                first[kinds] = n
                number[n] = kinds
                kinds += 1
                break
            m = first[kind]
            if bits[m, 0] == a and bits[m, 1] == b and bits[m, 2] == c:
                number[n] = kind
                break
            at = (at + np.uint64(1)) & mask
    return first[:kinds], number
