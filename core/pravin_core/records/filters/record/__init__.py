"""Filters on whole records, and filters made of others: a module each, which defines FILTER."""
