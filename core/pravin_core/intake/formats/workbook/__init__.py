"""Workbooks: one module for each kind of file, all giving sheets of Python values."""
