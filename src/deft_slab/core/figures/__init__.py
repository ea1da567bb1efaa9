"""The figures of a piece in a tilt: one module for each. docs/figures.md explains them."""
