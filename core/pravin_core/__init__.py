"""The computation of Pravin: bytes to records, profiles, rules, runs and released files.

Knows nothing of Django, HTTP or users; usable and tested alone.
"""
