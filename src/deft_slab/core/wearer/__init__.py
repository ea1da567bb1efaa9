"""The wearer: forms of known size that the prop must fit, and the room around them."""
