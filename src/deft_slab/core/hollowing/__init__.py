"""Hollowing: voids, lattice, vents and plugs."""
