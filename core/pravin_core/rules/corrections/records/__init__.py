"""Corrections: Records."""
