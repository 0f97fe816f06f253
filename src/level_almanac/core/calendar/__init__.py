"""The fiscal calendar: years, quarters, periods and weeks, and where a day stands."""
