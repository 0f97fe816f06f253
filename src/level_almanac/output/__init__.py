"""Renderers: one module a format, each taking a ReportTable (docs/output.md)."""
