"""Fonts, colours and the style sheet."""
