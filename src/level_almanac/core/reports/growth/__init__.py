"""Measures by units of the calendar."""
