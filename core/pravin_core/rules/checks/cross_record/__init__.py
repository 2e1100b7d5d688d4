"""Checks across records."""
