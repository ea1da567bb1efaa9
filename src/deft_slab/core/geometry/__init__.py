"""Builds solids from solids: bodies to cut with, smooth faces, splitting, and the poses of pieces."""
