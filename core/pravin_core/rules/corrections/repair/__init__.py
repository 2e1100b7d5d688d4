"""Corrections: Repair of misread values."""
