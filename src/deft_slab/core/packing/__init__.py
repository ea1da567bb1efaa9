"""Packs shapes onto as few sheets as possible, by their true outlines."""
