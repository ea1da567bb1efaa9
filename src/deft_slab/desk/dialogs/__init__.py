"""The dialogs."""
