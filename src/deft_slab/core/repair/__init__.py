"""Mending: makes a closed surface that faces outward from what a file contained, in steps of increasing force."""
