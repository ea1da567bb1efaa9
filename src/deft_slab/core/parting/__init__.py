"""From the opened model to its parts: bodies are grouped and mended, then cut by the recipe."""
