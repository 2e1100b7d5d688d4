"""Rules that judge data, one kind a module."""
