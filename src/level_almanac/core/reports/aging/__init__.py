"""Open amounts by age."""
