"""Totals per supplier or customer."""
