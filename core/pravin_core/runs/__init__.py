"""Run a rulebook over a snapshot: partition, reasons, effects, reconciliation."""
