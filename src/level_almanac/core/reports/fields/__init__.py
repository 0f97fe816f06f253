"""What can be asked for."""
