"""Findings: what a person decided about what the profile noticed."""
