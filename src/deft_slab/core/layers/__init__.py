"""The layers of a piece in its seat: exact sections, what begins in the air, and what air is closed in."""
