"""Where the program looks by itself: seats worth trying."""
