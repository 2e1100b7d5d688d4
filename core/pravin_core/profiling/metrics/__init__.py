"""Measures of one column, one module each, over `kinds(value, n, kind)`."""
