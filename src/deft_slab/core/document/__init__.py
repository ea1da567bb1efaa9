"""What all saved documents are made of: validated values, their versions, and marks on the surface."""
