"""The figures: calendar, words, windows, and one module for each report (docs/figures.md)."""
