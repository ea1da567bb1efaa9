"""Sends beds to printers, over an open protocol of our own: JSON and files over HTTP, or a watched folder."""
