"""What kind of thing each text is: missing, number, date, true/false or text.

Casts guess (they take '0x1F', '1_000' or a bare year); so every text is judged by pattern before it is cast.
"""

from __future__ import annotations

from sqlglot import exp

from pravin_core.engines.duckdb import template
from pravin_core.engines.functions import Mark
from pravin_core.tables.dates import FORMS, pattern
from pravin_core.tables.numbers import number_pattern, whole_pattern

MISSING_TOKENS = ("n/a", "na", "#n/a", "nan", "null", "none", "nil", "-", "--", "---", "?", "??", ".", "missing")
TRUTH = ("true", "false", "yes", "no", "y", "n", "t", "f")
OUTER_SPACES = r"^[\s\p{Z}]|[\s\p{Z}]$"
INVISIBLE = r"[\p{Cc}\p{Cf}\x{00A0}]"
GUESSED_FORMS = tuple(form for form in FORMS if form.format != "%Y%m%d")  # eight digits are a number until told


def _any_of(with_time: bool) -> str:
    parts = [pattern(form.format).strip("^$") for form in GUESSED_FORMS if form.has_time == with_time]
    return "|".join(f"(?:{part})" for part in parts)


def _forms(with_time: bool) -> exp.Array:
    formats = [form.format for form in GUESSED_FORMS if form.has_time == with_time]
    return exp.Array(expressions=[exp.Literal.string(one) for one in formats])


_NUMBER = Mark.DIGIT | Mark.E | Mark.DOT | Mark.SIGN | Mark.SPACE | Mark.OUTER_SPACE
_COMMA = Mark.DIGIT | Mark.COMMA | Mark.SIGN | Mark.SPACE | Mark.OUTER_SPACE
LONGEST_DATE = 40


def kind_of(cell: exp.Expr, marks: exp.Expr | None = None) -> exp.Expr:
    """The kind of a text that is never NULL, as an expression. `marks` is what marks_of gives for it.

    The marks tell first which patterns could fit at all: matching is what costs.
    """
    tokens, truth = (exp.Array(expressions=[exp.Literal.string(t) for t in words]) for words in (MISSING_TOKENS, TRUTH))
    patterns = {
        "whole": whole_pattern().strip("^$"),
        "decimal": number_pattern().strip("^$"),
        "comma": r"[+-]?\d+,\d+",
        "dates": _any_of(with_time=False),
        "datetimes": _any_of(with_time=True),
    }
    return template(
        f"""CASE
          WHEN :c = '' THEN 'missing'
          WHEN :m & {Mark.DIGIT:d} = 0 THEN CASE
            WHEN length(trim(:c)) > {LONGEST_DATE} THEN 'text'
            WHEN list_contains(:tokens, lower(trim(:c))) OR trim(:c) = '' THEN 'missing token'
            WHEN list_contains(:truth, lower(trim(:c))) THEN 'true/false'
            ELSE 'text' END
          WHEN :m & {~_NUMBER & 0x1FFFF:d} = 0 AND regexp_full_match(trim(:c), :whole) THEN 'whole number'
          WHEN :m & {~_NUMBER & 0x1FFFF:d} = 0 AND regexp_full_match(trim(:c), :decimal)
            AND isfinite(TRY_CAST(trim(:c) AS DOUBLE)) THEN 'decimal'
          WHEN :m & {~_COMMA & 0x1FFFF:d} = 0 AND regexp_full_match(trim(:c), :comma) THEN 'decimal comma'
          WHEN length(trim(:c)) > {LONGEST_DATE} THEN 'text'
          WHEN regexp_full_match(trim(:c), :dates) AND try_strptime(trim(:c), :day_forms) IS NOT NULL THEN 'date'
          WHEN :m & {Mark.COLON:d} > 0 AND regexp_full_match(trim(:c), :datetimes)
            AND try_strptime(trim(:c), :moment_forms) IS NOT NULL THEN 'date-time'
          ELSE 'text' END""",
        c=cell,
        m=exp.paren(marks or marks_of(cell)),
        tokens=tokens,
        day_forms=_forms(with_time=False),
        moment_forms=_forms(with_time=True),
        truth=truth,
        **{name: exp.Literal.string(pattern) for name, pattern in patterns.items()},
    )


def marks_of(cell: exp.Expr) -> exp.Expr:
    """Which characters a text that is never NULL holds (see Mark), as an expression."""
    return exp.Anonymous(this="marks_of", expressions=[cell.copy()])


def shape_of(cell: exp.Expr) -> exp.Expr:
    """The shape of a text that is never NULL, as an expression: digits as 9, letters as a or A."""
    return exp.Anonymous(this="shape_of", expressions=[cell.copy()])
