"""Lists of any table's lines."""
