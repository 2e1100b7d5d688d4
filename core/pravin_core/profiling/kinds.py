"""What kind of thing each text is: missing, number, date, true/false or text.

Casts guess (they take '0x1F', '1_000' or a bare year); so every text is judged by pattern before it is cast.
"""

from __future__ import annotations

import duckdb

from pravin_core.tables.dates import FORMS, pattern
from pravin_core.tables.numbers import number_pattern, whole_pattern

MISSING_TOKENS = ("n/a", "na", "#n/a", "nan", "null", "none", "nil", "-", "--", "---", "?", "??", ".", "missing")
TRUTH = ("true", "false", "yes", "no", "y", "n", "t", "f")
GUESSED_FORMS = tuple(form for form in FORMS if form.format != "%Y%m%d")  # eight digits are a number until told

_KINDS = """
CREATE OR REPLACE TEMP TABLE kinds AS
SELECT value, n,
  CASE
    WHEN value = '' THEN 'missing'
    WHEN lower(trim(value)) IN (SELECT unnest($tokens)) OR trim(value) = '' THEN 'missing token'
    WHEN regexp_full_match(trim(value), $whole) THEN 'whole number'
    WHEN regexp_full_match(trim(value), $decimal) AND isfinite(try_cast(trim(value) AS DOUBLE)) THEN 'decimal'
    WHEN regexp_full_match(trim(value), $comma) THEN 'decimal comma'
    WHEN regexp_full_match(trim(value), $dates) THEN 'date'
    WHEN regexp_full_match(trim(value), $datetimes) THEN 'date-time'
    WHEN lower(trim(value)) IN (SELECT unnest($truth)) THEN 'true/false'
    ELSE 'text'
  END AS kind
FROM vals
"""


def _any_of(with_time: bool) -> str:
    parts = [pattern(form.format).strip("^$") for form in GUESSED_FORMS if form.has_time == with_time]
    return "|".join(f"(?:{part})" for part in parts)


def judge(con: duckdb.DuckDBPyConnection) -> dict[str, int]:
    """From `vals(value, n)` make `kinds(value, n, kind)`; returns the cells of each kind."""
    con.execute(
        _KINDS,
        {
            "tokens": list(MISSING_TOKENS),
            "truth": list(TRUTH),
            "whole": whole_pattern().strip("^$"),
            "decimal": number_pattern().strip("^$"),
            "comma": r"[+-]?\d+,\d+",
            "dates": _any_of(with_time=False),
            "datetimes": _any_of(with_time=True),
        },
    )
    return dict(con.execute("SELECT kind, sum(n)::BIGINT FROM kinds GROUP BY kind ORDER BY kind").fetchall())
