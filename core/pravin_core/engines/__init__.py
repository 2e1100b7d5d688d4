"""The engines that compute. DuckDB is the first; each has the same shape."""
