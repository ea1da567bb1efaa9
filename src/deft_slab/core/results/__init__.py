"""What a plan comes to. Plain data, quick to import, which can be sent between processes."""
