"""The messages between the window and its worker process, and how they travel."""
