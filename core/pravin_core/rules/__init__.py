"""Rule kinds: each is one module in corrections/ or checks/, found by the registry."""
