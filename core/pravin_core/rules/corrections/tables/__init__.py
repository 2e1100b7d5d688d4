"""Corrections: The table as a whole."""
