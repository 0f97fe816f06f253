"""What reports are asked for: options declared once, on the fields of requests that check themselves."""
