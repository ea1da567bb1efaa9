"""Writes files that can be printed, and the project."""
