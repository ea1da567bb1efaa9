"""The check of pieces before they are printed, layer by layer."""
