"""One panel for each step of the work."""
