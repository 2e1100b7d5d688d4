"""Trees of SQL: templates whose places get copies, names that are always quoted, the text of a tree."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

from sqlglot import exp, parse_one


def sql(tree: exp.Expr) -> str:
    """The text of a tree in DuckDB's dialect."""
    return tree.sql(dialect="duckdb")


def written_out(tree: exp.Expr) -> exp.Expr:
    """A tree as its text, for statements that are made with it more than once."""
    return exp.Var(this=sql(tree))


def template(text: str, **parts: Any) -> exp.Expr:
    """A constant query text whose `:name` placeholders are replaced by trees or values.

    Every place gets a copy of its own: trees that share parts would change in two places at once, or in one of two.
    """

    def put(node: exp.Expr) -> exp.Expr:
        if not isinstance(node, exp.Placeholder) or node.name not in parts:
            return node
        part = parts[node.name]
        return part.copy() if isinstance(part, exp.Expr) else exp.convert(part)

    expression: exp.Expr = _parsed(text).transform(put)
    return expression


@lru_cache(maxsize=512)
def _parsed(text: str) -> exp.Expr:
    tree = parse_one(text, dialect="duckdb")
    for node in tree.walk():  # places in the template's text mean nothing later, and are half of what copying costs
        node._meta = None
    return tree


def column(name: str, table: str | None = None) -> exp.Column:
    """A column reference, always quoted."""
    return exp.column(exp.to_identifier(name, quoted=True), table=table, copy=False)


def joined(kind: type[exp.Connector] | type[exp.Add], parts: Sequence[exp.Expr]) -> exp.Expr:
    """Expressions joined by And, Or or Add as a balanced tree: thousands of them must not nest deeply."""
    while len(parts) > 1:
        pairs = [parts[at : at + 2] for at in range(0, len(parts), 2)]
        parts = [kind(this=exp.paren(p[0]), expression=exp.paren(p[1])) if len(p) == 2 else p[0] for p in pairs]
    return parts[0]
