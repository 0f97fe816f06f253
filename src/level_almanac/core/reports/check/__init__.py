"""What `almanac check` looks for, a module for each kind of thing that is looked at (docs/check.md)."""
