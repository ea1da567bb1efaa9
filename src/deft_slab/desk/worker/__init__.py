"""The process that does the long work, and its answers. Slow to import, so the window's process never imports it."""
