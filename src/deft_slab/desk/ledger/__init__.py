"""The table of choices."""
