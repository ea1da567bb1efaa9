"""When and how the display is brought up to date."""
