"""Checks of the text files: every mistake at once, with its key and what is allowed there."""
