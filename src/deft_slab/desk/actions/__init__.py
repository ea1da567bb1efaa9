"""What menus, keys and buttons do."""
