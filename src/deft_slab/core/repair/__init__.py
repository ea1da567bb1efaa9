"""Mending: making a closed, outward surface of what a file held, in steps of rising force."""
