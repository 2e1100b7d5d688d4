"""Corrections: Missing values."""
