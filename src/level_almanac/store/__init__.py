"""Parts, states, the writer's lock, roll-ups, and all SQL (docs/store.md)."""
