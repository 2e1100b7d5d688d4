"""Checks of single records."""
