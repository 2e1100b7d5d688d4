"""Corrections: Values."""
