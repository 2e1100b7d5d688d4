"""Statements: reading and writing files, keeping what a query gives."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from sqlglot import exp


def read_parquet(files: Sequence[Path]) -> exp.Expr:
    """A table of Parquet files, matched by column name, in order."""
    paths = exp.Array(expressions=[exp.Literal.string(str(path)) for path in files])
    union = exp.PropertyEQ(this=exp.to_identifier("union_by_name"), expression=exp.true())
    return exp.Anonymous(this="read_parquet", expressions=[paths, union])


def copy_to(query: exp.Expr, target: Path, **options: str | bool | int) -> exp.Expr:
    """A COPY of a query into a file; options as DuckDB names them."""
    params = [
        exp.CopyParameter(this=exp.var(name.upper()), expression=exp.convert(value)) for name, value in options.items()
    ]
    return exp.Copy(this=exp.Subquery(this=query), kind=False, files=[exp.Literal.string(str(target))], params=params)


def temporary_table(name: str, query: exp.Expr) -> exp.Create:
    """A statement that keeps a query's rows in a table of the connection, in place of an earlier one."""
    expression = exp.Create(this=exp.to_table(name), kind="TABLE", replace=True, expression=query)
    expression.set("properties", exp.Properties(expressions=[exp.TemporaryProperty()]))
    return expression


def temporary_view(name: str, query: exp.Expr) -> exp.Create:
    """A statement that gives a query a name on the connection, in place of an earlier one."""
    expression = exp.Create(this=exp.to_table(name), kind="VIEW", replace=True, expression=query)
    expression.set("properties", exp.Properties(expressions=[exp.TemporaryProperty()]))
    return expression


def kept_table(name: str, query: exp.Expr) -> exp.Create:
    """A statement that keeps a query's rows in a table for all connections of the engine."""
    return exp.Create(this=exp.to_table(name, quoted=True), kind="TABLE", replace=True, expression=query)


def variable(name: str, query: exp.Expr) -> exp.Expr:
    """A statement that keeps a query's single value in a variable of the connection, for `getvariable`."""
    value = exp.EQ(this=exp.to_identifier(name, quoted=True), expression=exp.Subquery(this=query))
    return exp.Set(expressions=[exp.SetItem(this=value, kind="VARIABLE")])


def setting(name: str, value: exp.Expr) -> exp.Expr:
    """A statement that sets an option of the engine."""
    return exp.Set(expressions=[exp.SetItem(this=exp.EQ(this=exp.var(name), expression=value))])
