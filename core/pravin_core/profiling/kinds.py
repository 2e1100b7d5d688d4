"""What kind of thing each text is: missing, number, date, true/false or text.

Casts guess (they take '0x1F', '1_000' or a bare year); so every text is judged by pattern before it is cast.
"""

from __future__ import annotations

from functools import lru_cache

import duckdb
from sqlglot import exp

from pravin_core.engines.duckdb import column, sql, template, temporary_table
from pravin_core.tables.dates import FORMS, pattern
from pravin_core.tables.numbers import number_pattern, whole_pattern

MISSING_TOKENS = ("n/a", "na", "#n/a", "nan", "null", "none", "nil", "-", "--", "---", "?", "??", ".", "missing")
TRUTH = ("true", "false", "yes", "no", "y", "n", "t", "f")
GUESSED_FORMS = tuple(form for form in FORMS if form.format != "%Y%m%d")  # eight digits are a number until told


def _any_of(with_time: bool) -> str:
    parts = [pattern(form.format).strip("^$") for form in GUESSED_FORMS if form.has_time == with_time]
    return "|".join(f"(?:{part})" for part in parts)


def _forms(with_time: bool) -> exp.Array:
    formats = [form.format for form in GUESSED_FORMS if form.has_time == with_time]
    return exp.Array(expressions=[exp.Literal.string(one) for one in formats])


def kind_of(cell: exp.Expr) -> exp.Expr:
    """The kind of a text that is never NULL, as an expression."""
    tokens, truth = (exp.Array(expressions=[exp.Literal.string(t) for t in words]) for words in (MISSING_TOKENS, TRUTH))
    patterns = {
        "whole": whole_pattern().strip("^$"),
        "decimal": number_pattern().strip("^$"),
        "comma": r"[+-]?\d+,\d+",
        "dates": _any_of(with_time=False),
        "datetimes": _any_of(with_time=True),
    }
    return template(
        """CASE
          WHEN :c = '' THEN 'missing'
          WHEN list_contains(:tokens, lower(trim(:c))) OR trim(:c) = '' THEN 'missing token'
          WHEN regexp_full_match(trim(:c), :whole) THEN 'whole number'
          WHEN regexp_full_match(trim(:c), :decimal) AND isfinite(TRY_CAST(trim(:c) AS DOUBLE)) THEN 'decimal'
          WHEN regexp_full_match(trim(:c), :comma) THEN 'decimal comma'
          WHEN regexp_full_match(trim(:c), :dates) AND try_strptime(trim(:c), :day_forms) IS NOT NULL THEN 'date'
          WHEN regexp_full_match(trim(:c), :datetimes) AND try_strptime(trim(:c), :moment_forms) IS NOT NULL
            THEN 'date-time'
          WHEN list_contains(:truth, lower(trim(:c))) THEN 'true/false'
          ELSE 'text' END""",
        c=cell,
        tokens=tokens,
        day_forms=_forms(with_time=False),
        moment_forms=_forms(with_time=True),
        truth=truth,
        **{name: exp.Literal.string(pattern) for name, pattern in patterns.items()},
    )


@lru_cache(maxsize=1)
def _judging() -> str:
    query = exp.select("value", "n", kind_of(column("value")).as_("kind")).from_("vals")
    return sql(temporary_table("kinds", query))


def judge(con: duckdb.DuckDBPyConnection) -> dict[str, int]:
    """From `vals(value, n)` make `kinds(value, n, kind)`; returns the cells of each kind."""
    con.execute(_judging())
    return dict(con.execute("SELECT kind, sum(n)::BIGINT FROM kinds GROUP BY kind ORDER BY kind").fetchall())
