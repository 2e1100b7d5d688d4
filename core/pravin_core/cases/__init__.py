"""Records in quarantine: counts behind their reasons, amendments of many at once, and what a decision would do to them."""
