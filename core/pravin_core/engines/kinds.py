"""What kind of thing each text is: missing, number, date, true/false or text.

Casts guess (they take '0x1F', '1_000' or a bare year); so every text is judged by pattern before it is cast.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import pyarrow
import pyarrow.compute
from sqlglot import exp

from pravin_core.engines.functions import LONG
from pravin_core.sql.trees import template
from pravin_core.tables.dates import FORMS, pattern, shape_pattern
from pravin_core.tables.numbers import number_pattern, whole_pattern

pa: Any = pyarrow
pc: Any = pyarrow.compute

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
    return exp.Array(expressions=[exp.Literal.string(format_) for format_ in formats])


NUMERIC = ("whole number", "decimal", "decimal comma")
LONGEST_DATE = 40
LONGEST_NUMBER = 300  # more digits are beyond a 64-bit float
_WHOLE = whole_pattern().strip("^$")
_DECIMAL = number_pattern().strip("^$")
_DECIMAL_COMMA = r"[+-]?\d+,\d+"
# shapes of which some texts are a date or number and others are not (2024-02-31, 1e999)
_OPEN = "|".join([*(shape_pattern(form.format) for form in GUESSED_FORMS), _DECIMAL.replace("[eE]", "[aA]")])
_LONGEST_WORD = max(len(word) for word in (*MISSING_TOKENS, *TRUTH))


def kind_of(cell: exp.Expr) -> exp.Expr:
    """The kind of a text that is never NULL, as an expression: the patterns that are matched fastest come first."""
    dates, moments = (exp.Literal.string(_any_of(with_time)) for with_time in (False, True))
    return template(
        f"""CASE
          WHEN :c = '' THEN 'missing'
          WHEN length(trim(:c)) > {LONGEST_NUMBER} THEN 'text'
          WHEN regexp_full_match(trim(:c), :whole) THEN 'whole number'
          WHEN :is_decimal THEN 'decimal'
          WHEN regexp_full_match(trim(:c), :comma) THEN 'decimal comma'
          WHEN length(trim(:c)) > {LONGEST_DATE} THEN 'text'
          WHEN NOT regexp_matches(:c, '[0-9]') THEN :of_words
          WHEN regexp_full_match(trim(:c), :dates) AND try_strptime(trim(:c), :day_forms) IS NOT NULL THEN 'date'
          WHEN contains(:c, ':') AND regexp_full_match(trim(:c), :moments)
            AND try_strptime(trim(:c), :moment_forms) IS NOT NULL THEN 'date-time'
          ELSE 'text' END""",
        c=cell,
        of_words=kind_of_words(cell),
        is_decimal=_is_decimal(cell),
        whole=exp.Literal.string(_WHOLE),
        comma=exp.Literal.string(_DECIMAL_COMMA),
        dates=dates,
        moments=moments,
        day_forms=_forms(with_time=False),
        moment_forms=_forms(with_time=True),
    )


def kind_of_words(cell: exp.Expr) -> exp.Expr:
    """The kind of a text that is not empty and holds no digits, as an expression."""
    tokens, truth = (exp.Array(expressions=[exp.Literal.string(t) for t in words]) for words in (MISSING_TOKENS, TRUTH))
    return template(
        """CASE
          WHEN list_contains(:tokens, lower(trim(:c))) OR trim(:c) = '' THEN 'missing token'
          WHEN list_contains(:truth, lower(trim(:c))) THEN 'true/false'
          ELSE 'text' END""",
        c=cell,
        tokens=tokens,
        truth=truth,
    )


def is_numeric(cell: exp.Expr) -> exp.Expr:
    """Whether the kind of a text that is never NULL is one of NUMERIC, as an expression."""
    return template(
        f"length(trim(:c)) <= {LONGEST_NUMBER} AND (regexp_full_match(trim(:c), :plain) OR :is_decimal)",
        c=cell,
        plain=exp.Literal.string(f"{_WHOLE}|{_DECIMAL_COMMA}"),
        is_decimal=_is_decimal(cell),
    )


def _is_decimal(cell: exp.Expr) -> exp.Expr:
    pattern = exp.Literal.string(_DECIMAL)
    fits = "regexp_full_match(trim(:c), :p) AND isfinite(TRY_CAST(trim(:c) AS DOUBLE))"
    return exp.paren(template(fits, c=cell, p=pattern))


def kinds_of_shapes(shapes: Any) -> Any:
    """The kind that all ASCII texts of each shape have (Arrow texts); missing where it depends on the text.

    A column of different numbers or codes has few shapes, so hardly any text has to be judged by itself.
    """
    trimmed = pc.utf8_trim(shapes, characters=" ")

    def fit(pattern: str) -> Any:
        return pc.match_substring_regex(trimmed, f"^(?:{pattern})$")

    words = pc.invert(pc.match_substring(shapes, "9"))
    short = pc.less_equal(pc.utf8_length(trimmed), _LONGEST_WORD)
    open_ = pc.or_(pc.equal(shapes, LONG), pc.and_(words, short))
    conditions = (open_, words, fit(_WHOLE), fit(_DECIMAL), fit(_DECIMAL_COMMA), fit(_OPEN))
    kinds = (None, "text", "whole number", "decimal", "decimal comma", None, "text")
    named = pc.make_struct(*conditions, field_names=[str(at) for at in range(len(conditions))])
    return pc.case_when(named, *(pa.scalar(kind, pa.string()) for kind in kinds))


def marks_of(cell: exp.Expr) -> exp.Expr:
    """Which characters a text that is never NULL holds (see Mark), as an expression."""
    return exp.Anonymous(this="marks_of", expressions=[cell.copy()])


def shape_of(cell: exp.Expr) -> exp.Expr:
    """The shape of a text that is never NULL, as an expression: digits as 9, letters as a or A."""
    return exp.Anonymous(this="shape_of", expressions=[cell.copy()])


def double_of(text: exp.Expr) -> exp.Expr:
    """The number that a text is, with a point or a comma before its decimals, as an expression; missing where it is none."""
    return template("try_cast(replace(trim(:t), ',', '.') AS DOUBLE)", t=text)


def moment_of(text: exp.Expr, formats: Sequence[str]) -> exp.Expr:
    """The moment a text that is never NULL names in the first of some date formats that fits, as an expression."""
    tries = [
        template("CASE WHEN regexp_full_match(trim(:t), :p) THEN try_strptime(trim(:t), :f) END", t=text,
                 p=exp.Literal.string(pattern(format_).strip("^$")), f=exp.Literal.string(format_))
        for format_ in formats
    ]  # fmt: skip
    return exp.Coalesce(this=tries[0], expressions=tries[1:])
