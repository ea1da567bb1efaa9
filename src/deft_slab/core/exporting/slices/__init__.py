"""Beds as the layers that a printer makes: as pictures, and as polygons in a 3MF."""
