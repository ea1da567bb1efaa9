"""Fonts, colours, the style sheet."""
