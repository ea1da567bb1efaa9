"""The searches: seats, cuts, ways to part a model, seams that are hardly seen, and vents."""
