"""The window. Knows the core; is known by nobody."""
