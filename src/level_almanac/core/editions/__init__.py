"""Reports issued together: frozen, verified, compared."""
