"""The window. It knows the core; nothing else in the program knows it."""
