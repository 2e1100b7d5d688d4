"""The smallest parts of a formula: columns, numbers and texts written out, dates."""

from __future__ import annotations

import re
from datetime import datetime

from sqlglot import exp

from pravin_core.formulas import standard
from pravin_core.formulas.checking import (
    OF_COLUMNS,
    Checking,
    Typed,
    excerpt,
    nearest,
)
from pravin_core.formulas.functions import (
    DATE,
    FUNCTIONS,
    MOMENT,
    NUMBER,
    TEXT,
)
from pravin_core.sql.trees import column as named
from pravin_core.tables.types import DataType


def of_column(checking: Checking, node: exp.Expr) -> Typed:
    """A column of the record."""
    assert isinstance(node, exp.Column)
    if node.args.get("table"):
        raise checking.wrong(
            node, "Columns have one name only.", f'If the name holds points, write it as "{excerpt(node)}".'
        )
    name = node.name
    column = checking.columns.get(name)
    if column is None:
        if node.this.args.get("quoted"):
            advice = f"If a text is meant, write it in single quotes: '{name}'."
        elif name.lower() in ("current_date", "current_timestamp"):
            advice = standard.OF_TODAY
        elif name in FUNCTIONS:
            advice = f"If the function is meant, write {name}(…)."
        else:
            advice = nearest(name, list(checking.columns)) or "A text stands in single quotes, as in 'abc'."
        raise checking.wrong(node, f"There is no column “{name}”.", advice)
    checking.read[column.name] = None
    expression: exp.Expr = named(column.name)
    kind = OF_COLUMNS[column.type]
    if kind == NUMBER:
        exact = exp.cast(expression, "DECIMAL(19, 0)") if column.type is DataType.WHOLE else None
        return Typed(exp.cast(expression, "DOUBLE"), kind, exact)
    return Typed(expression, kind)


def written_out(checking: Checking, node: exp.Expr) -> Typed:
    """A number or text written out."""
    assert isinstance(node, exp.Literal)
    if node.is_string:
        return Typed(exp.Literal.string(node.this), TEXT)
    written_out = re.fullmatch(r"(\d{1,28})(?:\.(\d{1,10}))?", node.this)
    exact = None
    if written_out:
        places = len(written_out[2] or "")
        exact = exp.cast(exp.Literal.string(node.this), f"DECIMAL({len(written_out[1]) + places}, {places})")
    return Typed(exp.cast(exp.Literal.string(node.this), "DOUBLE"), NUMBER, exact)


def of_moment(checking: Checking, node: exp.Expr) -> Typed:
    """date '2024-03-17' and timestamp '2024-03-17 09:40:00'; other casts are those of SQL."""
    assert isinstance(node, exp.Cast)
    to, inner = node.args["to"].this, node.this
    types = exp.DataType.Type
    kinds = {
        types.DATE: (DATE, "DATE"),
        types.TIMESTAMP: (MOMENT, "TIMESTAMP"),
        types.TIMESTAMPNTZ: (MOMENT, "TIMESTAMP"),
    }
    if to not in kinds or node.args["to"].expressions or not (isinstance(inner, exp.Literal) and inner.is_string):
        return standard.cast(checking, node)
    try:
        datetime.fromisoformat(inner.this)
    except ValueError as error:
        raise checking.wrong(
            inner, f"“{inner.this}” is no day of the calendar.", "Write it as year-month-day: date '2024-03-17'."
        ) from error
    kind, sql_type = kinds[to]
    return Typed(exp.cast(exp.Literal.string(inner.this), sql_type), kind)
