"""From the records of an export to its lines: where each field of a table comes from."""
