"""The sheet for the bench: what to print, how to put it together and in which order, and what it costs."""
