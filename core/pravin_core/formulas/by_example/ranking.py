"""Which of the formulas that give all wanted results is likely to be meant: judged by what they give for other records.

A likely formula treats what is there, cuts where the examples are cut (not within a number or word), and gives texts
with no other marks than the wanted ones.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.sql.trees import sql, template

UNTREATED, UNTREATED_ON_PURPOSE = 4.0, 0.5  # what it costs to give nothing for all; less where nothing was wanted once
OTHER_SURROUNDINGS, CUT_WITHIN, OTHER_MARKS, SPACES = 2.0, 1.5, 2.0, 0.8


def strangeness(
    con: Connection, table: str, result: str, read: str | None, wanted: Sequence[str | None], something: exp.Expr
) -> float:
    """How unlike the examples the results in column `result` of `table` are, from 0 up.

    `read` is the one column that the formula reads, if it is one text column; `__told` marks the records of examples.
    """
    there = exp.column(result)
    marks = {character for text in wanted if text for character in text if not character.isalnum()}
    other = f"[^\\p{{L}}\\p{{N}}\\p{{M}}\\s{''.join(re.escape(mark) for mark in sorted(marks) if not mark.isspace())}]"
    row = con.execute(
        sql(
            exp.select(
                template("count(*)"),
                template("count_if(:s AND (:r IS NULL OR :r = ''))", s=exp.paren(something.copy()), r=there),
                template(
                    "count_if(regexp_matches(regexp_replace(:r, '([0-9])[.,]([0-9])', '\\1\\2', 'g'), :o))",
                    r=there, o=exp.Literal.string(other),
                ),
                template("count_if(contains(:r, ' '))", r=there),
            ).from_(table)
        )
    ).fetchall()[0]  # fmt: skip
    every, untreated, marked, spaced = (int(number) for number in row)
    if any(text and " " in text for text in wanted):
        spaced = 0
    cost = UNTREATED_ON_PURPOSE if None in wanted else UNTREATED
    judged = (cost * untreated + OTHER_MARKS * marked + SPACES * spaced) / max(every, 1)
    return judged + (_by_surroundings(con, table, there, read) if read else 0.0)


def _by_surroundings(con: Connection, table: str, result: exp.Expr, read: str) -> float:
    """Costs of cutting where no example is cut."""
    place = template("strpos(:c, :r)", c=exp.column(read, quoted=True), r=result)
    before = template("substring(:c, :p - 1, 1)", c=exp.column(read, quoted=True), p=place)
    behind = template("substring(:c, :p + length(:r))", c=exp.column(read, quoted=True), p=place, r=result)
    kinds = template(
        "CASE WHEN :r IS NULL OR :p = 0 THEN NULL ELSE "
        "CASE WHEN :p = 1 THEN '' ELSE :b END || '|' || regexp_extract(:a, '^ *.') END",
        r=result, p=place, b=before, a=behind,
    )  # fmt: skip
    within = template(
        "coalesce(:p > 0 AND (regexp_matches(right(:r, 1) || :a, '^(\\p{L}\\p{L}|[0-9][0-9]|[0-9][.,][0-9])') "
        "OR (:p > 1 AND regexp_matches(:b || left(:r, 1), '^(\\p{L}\\p{L}|[0-9][0-9])'))), false)",
        r=result, p=place, a=behind, b=before,
    )  # fmt: skip
    rows = con.execute(
        sql(
            exp.select(
                _kind_of(kinds).as_("kinds"), within.as_("within"), template("count(*)"), template("count(__told)")
            ).from_(table).group_by("ALL")
        )
    ).fetchall()  # fmt: skip
    told = {row[0] for row in rows if row[3]}
    if None in told:  # the results are not cut out of the column
        return 0.0
    told_within = any(row[1] for row in rows if row[3])
    every = sum(row[2] for row in rows)
    unlike = sum(row[2] for row in rows if row[0] is not None and row[0] not in told)
    within_others = 0 if told_within else sum(row[2] for row in rows if row[1])
    return float(OTHER_SURROUNDINGS * unlike + CUT_WITHIN * within_others) / max(every, 1)


def _kind_of(kinds: exp.Expr) -> exp.Expr:
    """A character as its kind: letters as a, digits as 9, others as they are."""
    return template("regexp_replace(regexp_replace(:k, '\\p{L}', 'a', 'g'), '[0-9]', '9', 'g')", k=kinds)
