"""Triangle surfaces: the solid, its edges, its components, and what is not manifold in it."""
