"""Hollowing pieces: voids, lattice, vents and plugs."""
