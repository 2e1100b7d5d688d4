"""Delimited text: detection, the tolerant lane and the fast one."""
