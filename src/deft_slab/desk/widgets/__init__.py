"""Controls that the panels share."""
