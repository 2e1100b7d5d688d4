"""Trees of SQL: templates whose places get copies, names that are always quoted, the text of a tree."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
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

    def put(node: exp.Expr) -> exp.Expr | None:
        if not isinstance(node, exp.Placeholder) or node.name not in parts:
            return None
        part = parts[node.name]
        return copied(part) if isinstance(part, exp.Expr) else exp.convert(part)

    return copied(_parsed(text), put)


def copied(tree: exp.Expr, instead: Callable[[exp.Expr], exp.Expr | None] | None = None) -> exp.Expr:
    """A copy of a tree in which `instead(node)`, where it is not None, takes the place of a node and all below it.

    It keeps what a tree says and not where it was written. The library's own copy adds one argument after the other to empty nodes,
    which takes three times as long, and rules are made of thousands of small trees.
    """
    nodes, made = [tree], dict[int, exp.Expr]()
    for node in nodes:  # grows while it is walked: a tree may be deeper than calls may nest
        if instead is not None and (other := instead(node)) is not None:
            made[id(node)] = other
        else:
            nodes.extend(_below(node))
    for node in reversed(nodes):
        if id(node) in made:
            continue
        args: dict[str, Any] = {}
        for key, value in node.args.items():
            if isinstance(value, exp.Expr):
                args[key] = made[id(value)]
            elif isinstance(value, list):
                args[key] = [made[id(each)] if isinstance(each, exp.Expr) else each for each in value]
            else:
                args[key] = value
        made[id(node)] = node.__class__(**args)
    return made[id(tree)]


def _below(node: exp.Expr) -> Iterator[exp.Expr]:
    for value in node.args.values():
        if isinstance(value, exp.Expr):
            yield value
        elif isinstance(value, list):
            for each in value:
                if isinstance(each, exp.Expr):
                    yield each


@lru_cache(maxsize=512)
def _parsed(text: str) -> exp.Expr:
    return parse_one(text, dialect="duckdb")


def column(name: str, table: str | None = None) -> exp.Column:
    """A column reference, always quoted."""
    cell = exp.Column(this=exp.Identifier(this=name, quoted=True))
    if table:
        cell.set("table", exp.to_identifier(table))
    return cell


def table(name: str, alias: str = "") -> exp.Table:
    """A table of the chain, or of the connection, by a plain name."""
    called = exp.TableAlias(this=exp.to_identifier(alias)) if alias else None
    return exp.Table(this=exp.to_identifier(name), **({"alias": called} if called else {}))


def after(query: exp.Select, steps: Sequence[tuple[str, exp.Select]]) -> exp.Select:
    """A query that is asked after named ones; the query itself is changed, and holds those that it is given."""
    named = [exp.CTE(this=step, alias=exp.TableAlias(this=exp.to_identifier(name))) for name, step in steps]
    query.set("with_", exp.With(expressions=named))
    return query


def met(query: exp.Select, other: exp.Expr, on: exp.Expr) -> exp.Select:
    """A query that also meets another table, where there is something to meet; the query itself is changed."""
    query.append("joins", exp.Join(this=other, side="LEFT", on=on))
    return query


def joined(kind: type[exp.Connector] | type[exp.Add], parts: Sequence[exp.Expr]) -> exp.Expr:
    """Expressions joined by And, Or or Add as a balanced tree: thousands of them must not nest deeply."""
    parts = [copied(part) for part in parts]
    while len(parts) > 1:
        pairs = [parts[at : at + 2] for at in range(0, len(parts), 2)]
        parts = [
            kind(this=exp.Paren(this=pair[0]), expression=exp.Paren(this=pair[1])) if len(pair) == 2 else pair[0]
            for pair in pairs
        ]
    return parts[0]
