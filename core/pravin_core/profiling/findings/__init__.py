"""Findings: what the profile noticed, one module for each kind, of a column or of the whole table."""
