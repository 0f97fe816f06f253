"""The reports: one package each, found by the registry."""
