"""Snapshot to profile. Each column is grouped by value first; everything else is computed on values with counts."""
