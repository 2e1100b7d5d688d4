"""The library: what rules of all feeds refer to."""
