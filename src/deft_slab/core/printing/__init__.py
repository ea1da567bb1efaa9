"""Beds on their way to printers, over an open way of our own: JSON and files over HTTP, or a folder that is watched."""
