"""Findings about one column: each module has KIND (its name and definition) and find(column_values, column); one with
AFTER gets as third argument what the others found in the column."""
