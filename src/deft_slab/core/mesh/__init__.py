"""Triangle surfaces: the solid, its edges and components, and how to untangle what is not manifold."""
