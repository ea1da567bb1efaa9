"""Layers of a piece in its seat: exact sections, what begins in the air, what is closed in, and what that means."""
