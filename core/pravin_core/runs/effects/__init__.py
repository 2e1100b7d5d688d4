"""The effect of one rule: each way to find it is a strategy in a module, `effect.py` takes the first that applies."""
