"""Account detail."""
