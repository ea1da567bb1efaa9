"""Joining pieces: where they meet, what room there is for joins, which joins, and in which order they go together."""
