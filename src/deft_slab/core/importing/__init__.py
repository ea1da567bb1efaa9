"""Reads files: finds out what a file is and what is in it, and says in a sentence what is wrong if it cannot be
read.
"""
