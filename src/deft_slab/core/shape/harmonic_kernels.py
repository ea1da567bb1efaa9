"""Compiled kernels of harmonic fields: plain arrays, no classes."""

from __future__ import annotations

from numba import njit


@njit(cache=True, nogil=True)
def relaxed(field, held, rounds, over, enough):
    """Solves Laplace's equation in place, on a grid with nothing flowing over its ends; gives the rounds that it took.

    Successive over-relaxation in red and black order (Young 1954), the seven-point star.

    field : (a, b, c) float32; held : (a, b, c) bool, where it stays; over : the factor of over-relaxation, 1 to 2
    enough : the largest change in a round at which it ends
    """
    a, b, c = field.shape
    for number in range(rounds):
        largest = 0.0
        for colour in range(2):
            for i in range(a):
                up, down = min(i + 1, a - 1), max(i - 1, 0)
                for j in range(b):
                    right, left = min(j + 1, b - 1), max(j - 1, 0)
                    for k in range((i + j + colour) & 1, c, 2):
                        if held[i, j, k]:
                            continue
                        ahead, behind = min(k + 1, c - 1), max(k - 1, 0)
                        around = (
                            field[up, j, k] + field[down, j, k] + field[i, right, k]
                            + field[i, left, k] + field[i, j, ahead] + field[i, j, behind]
                        )  # fmt: skip
                        change = over * (around / 6.0 - field[i, j, k])
                        field[i, j, k] += change
                        largest = max(largest, abs(change))
        if largest < enough:
            return number + 1
    return rounds
