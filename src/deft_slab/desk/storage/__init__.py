"""What is kept between sessions, as files."""
