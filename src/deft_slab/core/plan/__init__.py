"""The plan and all that is saved with it. Plain documents, light to load."""
