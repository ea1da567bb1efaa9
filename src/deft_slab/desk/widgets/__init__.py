"""Widgets that the panels share."""
