"""Hand off: beds, files and printers."""
