"""How accurately exact surfaces are converted to triangles."""

FINENESS = 0.1
"""mm by which triangles may be off the exact faces, unless another fineness is chosen."""
FINEST, COARSEST = 0.002, 20.0
