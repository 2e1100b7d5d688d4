"""Findings about one column: each module has KIND (its name and definition) and find(column_values, column)."""
