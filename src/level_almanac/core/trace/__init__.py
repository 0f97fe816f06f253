"""What lies behind a figure."""
