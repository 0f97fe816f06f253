"""The text files of a book, and their checks."""
