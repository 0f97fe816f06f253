"""Documents and what is applied to them, as sets in the engine."""
