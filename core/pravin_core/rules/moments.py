"""What rules about dates share: moments in typed columns, and in texts written as ISO 8601 says."""

from __future__ import annotations

from sqlglot import exp

from pravin_core.rules.base import as_text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.dates import pattern
from pravin_core.tables.types import DataType

_FORMS = ("%Y-%m-%d", "%Y-%m-%d %H:%M:%S", "%Y-%m-%dT%H:%M:%S", "%Y-%m-%d %H:%M")


def moment_in(cell: exp.Expr, column: Column) -> exp.Expr:
    """The moment of a cell; missing where there is none."""
    if column.type in (DataType.DATE, DataType.DATETIME):
        return exp.cast(cell.copy(), "TIMESTAMP")
    tries = [moment_read(as_text(cell, column.type), form) for form in _FORMS]
    return exp.Coalesce(this=tries[0], expressions=tries[1:])


def moment_read(text: exp.Expr, form: str) -> exp.Expr:
    """The moment that a text is in one form; missing where it does not fit it."""
    fits = exp.Literal.string(pattern(form).strip("^$"))
    return template("read_moment(:t, :p, :f)", t=text, p=fits, f=exp.Literal.string(form))
