"""Corrections: Columns."""
