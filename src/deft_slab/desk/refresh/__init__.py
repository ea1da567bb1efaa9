"""How and when what is shown is brought up to date."""
