"""Feeds made from the releases of other feeds, and where released tables come from."""
