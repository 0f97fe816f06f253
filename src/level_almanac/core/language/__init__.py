"""The one grammar for what people write: columns and conditions (docs/columns.md)."""
