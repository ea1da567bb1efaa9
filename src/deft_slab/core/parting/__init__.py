"""From the opened model to its parts: the bodies grouped and mended, then cut by the recipe."""
