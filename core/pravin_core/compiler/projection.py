"""A step that takes every record by itself, as data: what becomes of each column."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from sqlglot import exp

from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import copied

_LOOKS_FURTHER = (exp.Window, exp.Query, exp.AggFunc, exp.Star, exp.Unnest, exp.Explode)


@dataclass(frozen=True, eq=False)
class Projection:
    """The columns after a step, in order: each with its value over the columns of `source`, or None where it is passed on.

    Most steps touch few of many columns, so that those passed on cost nothing until the query is written out.
    """

    source: exp.Expr
    cells: Mapping[str, exp.Expr | None]

    @cached_property
    def computed(self) -> Mapping[str, exp.Expr]:
        """The values that are no mere columns."""
        return {name: value for name, value in self.cells.items() if value and not isinstance(value, exp.Column)}

    @cached_property
    def reads(self) -> Mapping[str, frozenset[str]]:
        """The columns that each of them needs."""
        return {
            name: frozenset(node.name for node in value.find_all(exp.Column)) for name, value in self.computed.items()
        }

    @cached_property
    def is_of_records(self) -> bool:
        """Whether it reads a table of the chain and looks at no other records."""
        is_step = isinstance(self.source, exp.Table) and not isinstance(self.source.this, exp.Func)
        return is_step and not any(value.find(*_LOOKS_FURTHER) for value in self.computed.values())

    def passed(self, name: str) -> str:
        """What a column that is passed on is called in the source."""
        value = self.cells[name]
        return name if value is None else value.name

    def select(self) -> exp.Select:
        """The step as a query."""
        table = self.source.alias if isinstance(self.source, exp.Table) and self.source.alias else None
        shown = [
            col(name, table) if value is None else exp.alias_(copied(value), name, quoted=True, copy=False)
            for name, value in self.cells.items()
        ]
        return exp.select(*shown, copy=False).from_(self.source.copy(), copy=False)


def as_projection(query: exp.Select) -> Projection | None:
    """A query that is a mere projection of one table; None for every other one."""
    names = {name for name, value in query.args.items() if value}
    source = query.args.get("from_") or query.args.get("from")
    if source is None or names - {"expressions", "from_", "from"} or not isinstance(source.this, exp.Table):
        return None
    if any(each.is_star for each in query.expressions):
        return None
    return Projection(source.this, {each.alias_or_name: each.unalias() for each in query.expressions})
