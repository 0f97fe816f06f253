"""The trial balance."""
