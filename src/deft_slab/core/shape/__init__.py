"""Geometry out of geometry."""
