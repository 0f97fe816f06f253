"""The largest members and all other."""
