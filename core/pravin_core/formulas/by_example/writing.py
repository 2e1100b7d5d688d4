"""Formulas as text: names, texts and calls written so that they read back as they were meant."""

from __future__ import annotations

import re

_PLAIN = re.compile(r"[a-z_][a-z0-9_]*")
# words of SQL that cannot stand as a bare name
_TAKEN = frozenset(
    [
        "all",
        "and",
        "any",
        "as",
        "asc",
        "between",
        "both",
        "by",
        "case",
        "cast",
        "check",
        "collate",
        "column",
        "create",
        "cross",
        "current",
        "date",
        "default",
        "desc",
        "distinct",
        "do",
        "else",
        "end",
        "except",
        "exists",
        "false",
        "fetch",
        "for",
        "from",
        "full",
        "group",
        "having",
        "if",
        "ilike",
        "in",
        "inner",
        "interval",
        "intersect",
        "into",
        "is",
        "join",
        "left",
        "like",
        "limit",
        "natural",
        "not",
        "null",
        "offset",
        "on",
        "or",
        "order",
        "outer",
        "over",
        "primary",
        "references",
        "right",
        "row",
        "select",
        "set",
        "some",
        "table",
        "then",
        "time",
        "timestamp",
        "to",
        "true",
        "union",
        "unique",
        "using",
        "values",
        "when",
        "where",
        "window",
        "with",
    ]
)


def name(column: str) -> str:
    """A column as it stands in a formula."""
    if _PLAIN.fullmatch(column) and column not in _TAKEN:
        return column
    return '"' + column.replace('"', '""') + '"'


def text(value: str) -> str:
    """A text as it stands in a formula."""
    return "'" + value.replace("'", "''") + "'"


def in_class(character: str) -> str:
    """A character as it stands within the brackets of a pattern."""
    return "\\" + character if character in "\\]^-[" else character


def call(function: str, *arguments: str | int) -> str:
    """A call; whole numbers are written as they are."""
    return f"{function}({', '.join(str(argument) for argument in arguments)})"
