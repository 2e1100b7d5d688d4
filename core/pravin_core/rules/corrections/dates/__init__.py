"""Corrections: Dates."""
