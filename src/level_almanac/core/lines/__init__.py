"""What is asked of a table's lines: conditions, computed fields, what is shown of them, and their rows."""
