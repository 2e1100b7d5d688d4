"""Readers, one room for each format. To add a format: write its Reader and name it in `registry.py`."""
