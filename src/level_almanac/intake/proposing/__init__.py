"""Looks at exports and writes the blocks that take them in."""
