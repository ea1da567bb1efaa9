"""Deft Slab: tilt and cut props so that they print clean and the joins don't show."""

from . import cpu

__version__ = "0.1.0"

cpu.choose()  # before anything imports Numba, which reads it once
