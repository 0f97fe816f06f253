"""Statements of a layout."""
