"""What a table's lines come to by measure and day, and what a plan has for the same."""
