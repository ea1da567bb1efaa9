"""Figures: what a piece costs in a given tilt. definitions.md gives each figure's meaning."""
