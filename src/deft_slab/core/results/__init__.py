"""What a plan comes to. Plain data, light to load, able to travel between processes."""
