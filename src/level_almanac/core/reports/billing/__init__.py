"""Charges, payments and adjustments by the date that matters."""
