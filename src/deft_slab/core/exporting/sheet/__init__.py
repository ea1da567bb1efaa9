"""The sheet for the bench: what to print, how and in which order to put it together, and what it costs."""
