"""Shapes laid on as few sheets as it takes, by their true outlines."""
