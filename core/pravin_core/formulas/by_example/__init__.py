"""Formulas from examples: pieces of columns and constants, joined so that every wanted result comes out."""
