"""Corrections: Text."""
