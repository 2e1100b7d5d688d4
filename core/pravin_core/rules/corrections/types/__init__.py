"""Corrections: Types."""
