"""The plan, and everything that is saved with it. Plain documents, quick to import."""
