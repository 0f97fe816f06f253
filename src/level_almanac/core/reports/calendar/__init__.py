"""The calendar as a report."""
