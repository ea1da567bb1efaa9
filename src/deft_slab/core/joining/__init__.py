"""Joins between pieces: where pieces meet, what room there is, which joins to propose, and how the pieces go
together.
"""
