"""Filters on the cells of one column: a module each, which defines FILTER."""
