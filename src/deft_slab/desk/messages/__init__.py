"""What the window and its worker process say to each other, and how it travels."""
