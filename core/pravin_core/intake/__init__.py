"""Bytes to records: detection, one reader per format, rejected lines, the snapshot."""
