"""The process that does the long work, and what it answers with. Heavy to load: the window's process never does."""
