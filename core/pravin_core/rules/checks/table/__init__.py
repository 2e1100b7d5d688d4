"""Checks of the table as a whole."""
