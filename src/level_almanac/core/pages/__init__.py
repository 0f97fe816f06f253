"""Saved reports: their questions, their answers, their runs."""
