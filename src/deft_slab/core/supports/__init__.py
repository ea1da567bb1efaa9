"""Support posts: where they stand, how they get there, what they hold and what they leave behind."""
