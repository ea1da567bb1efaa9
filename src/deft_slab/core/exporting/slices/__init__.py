"""Beds as the layers that a printer lays down: pictures, and polygons in a 3MF."""
