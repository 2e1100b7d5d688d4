"""Readers, one room for each format. To add a format: write its Reader as READER; the registry finds it."""
