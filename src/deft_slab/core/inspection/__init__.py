"""What is found of pieces before they are printed, layer by layer."""
