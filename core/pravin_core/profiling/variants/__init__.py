"""Spelling variants: values that are written differently and mean the same."""
