"""Printer profiles: the document, and the files of those that ship with the program."""
