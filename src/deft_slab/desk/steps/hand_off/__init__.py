"""The Hand off step: beds, files and printers."""
