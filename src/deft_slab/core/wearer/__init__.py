"""Who wears or holds the prop, and what it must fit: forms of known size, and the room around them."""
