"""Findings about several columns or records: each module has KIND and find(table)."""
