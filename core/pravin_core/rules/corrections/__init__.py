"""Rules that change data, one kind a module."""
