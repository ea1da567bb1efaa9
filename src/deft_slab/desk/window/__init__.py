"""The window and its fixed parts: title strip, pieces, bed, status bar."""
