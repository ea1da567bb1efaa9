"""Deft Slab: tilt and cut props so that they print clean and the joins don't show."""

__version__ = "0.1.0"
