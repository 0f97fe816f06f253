"""Exports on their way into the book: readers, mapping, checks of lines, and the load that takes all or nothing."""
