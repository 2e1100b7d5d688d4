"""Corrections: Numbers."""
