"""The figures of a piece in a tilt: one module for each. definitions.md defines them."""
