"""Filters of the document."""
