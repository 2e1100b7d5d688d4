"""Writing results: ready, quarantined, removed and rejected as files."""
