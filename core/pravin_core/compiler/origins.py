"""From which columns the values of each column come: read from the steps that the rules compile to, so that every kind of rule is
traced in the same way.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from sqlglot import exp

from pravin_core.compiler.plan import RunContext, compile_corrections
from pravin_core.rules.rulebook import Rulebook
from pravin_core.tables.columns import ORIGIN
from pravin_core.tables.names import reference

DELIVERED = ""  # stands for the records themselves, where tables are named


@dataclass(frozen=True, order=True)
class Origin:
    """A column that values come from: the name of its reference table (DELIVERED: the records themselves) and its own."""

    table: str
    column: str


@dataclass(frozen=True)
class _Cell:
    """Where a value comes from; of a struct also where each of its parts does."""

    origins: frozenset[Origin] = frozenset()
    parts: Mapping[str, _Cell] = field(default_factory=dict)


_Table = dict[str, _Cell]


def column_origins(
    rulebook: Rulebook, delivered: Sequence[str], context: RunContext = RunContext()
) -> dict[str, tuple[Origin, ...]]:
    """The columns that a rulebook's corrections leave, each with those whose values it is made of, in order of name.

    What only decides which records stay, or which records of two tables belong together, is no origin of a value; what a condition
    of a cell reads is. Raises RulebookError when a rule does not fit the columns.
    """
    corrections = [
        (number, rule) for number, rule in enumerate(rulebook.rules, start=1) if rule.enabled and not rule.is_check
    ]
    builder = compile_corrections(corrections, exp.to_table("records"), delivered, context)
    walk = _Walk(frozenset((*ORIGIN, *builder.system_columns)))
    tables = {
        reference(name): _as_it_is(name, (column.name for column in table.columns))
        for name, table in context.references.items()
    }
    first, *steps = (step for step in builder.steps if step.name not in tables)
    tables[first.name] = _as_it_is(DELIVERED, delivered)
    for step in steps:
        tables[step.name] = walk.table(step.query, tables)
    last = tables[builder.last]
    return {column.name: tuple(sorted(last[column.name].origins)) for column in builder.columns}


def _as_it_is(table: str, columns: Iterable[str]) -> _Table:
    """A table whose columns come from nowhere else."""
    return {name: _Cell(frozenset({Origin(table, name)})) for name in columns}


@dataclass(frozen=True)
class _Walk:
    """Goes through a query. `untold`: the small columns that are carried along, which are nobody's values."""

    untold: frozenset[str]

    def table(self, query: exp.Expr, known: Mapping[str, _Table]) -> _Table:
        """The columns of a query."""
        if isinstance(query, exp.Subquery):
            return self.table(query.this, known)
        if isinstance(query, exp.SetOperation):
            upper, lower = self.table(query.this, known), self.table(query.expression, known)
            return {
                name: _together([cell, other])
                for (name, cell), other in zip(upper.items(), lower.values(), strict=True)
            }
        assert isinstance(query, exp.Select)
        scope = self._scope(query, known)
        cells: _Table = {}
        for shown in query.expressions:
            inner = shown.this if isinstance(shown, exp.Alias) else shown
            if isinstance(inner, exp.Star) or (isinstance(inner, exp.Column) and isinstance(inner.this, exp.Star)):
                alias = inner.table if isinstance(inner, exp.Column) else ""
                for name, table in scope.items():
                    cells |= table if alias in ("", name) else {}
            else:
                cells[shown.alias_or_name] = self._cell(inner, scope, known)
        return cells

    def _scope(self, query: exp.Select, known: Mapping[str, _Table]) -> dict[str, _Table]:
        """What a query selects from, by the names it has there."""
        beginning = query.args.get("from_")
        sources = [each.this for each in (beginning, *(query.args.get("joins") or ())) if each is not None]
        scope: dict[str, _Table] = {}
        for source in sources:
            if isinstance(source, exp.Table):
                scope[source.alias_or_name] = known.get(source.name, {})
            elif isinstance(source, exp.Subquery):
                scope[source.alias_or_name] = self.table(source.this, known)
        return scope

    def _cell(self, value: exp.Expr, scope: Mapping[str, _Table], known: Mapping[str, _Table]) -> _Cell:
        if isinstance(value, exp.Column):
            return self._column(value, scope)
        if isinstance(value, exp.Select | exp.SetOperation):
            return _together(list(self.table(value, {**known, **scope}).values()))
        if isinstance(value, exp.Struct):
            parts = {each.name: self._cell(each.expression, scope, known) for each in value.expressions}
            return _Cell(_together(list(parts.values())).origins, parts)
        inner = [self._cell(child, scope, known) for child in value.iter_expressions()]
        if isinstance(value, exp.StructExtract):
            whole = inner[0]
            return whole.parts.get(value.expression.name, whole)
        return _together(inner)

    def _column(self, column: exp.Column, scope: Mapping[str, _Table]) -> _Cell:
        if column.name in self.untold:
            return _Cell()
        if column.table:
            return scope.get(column.table, {}).get(column.name, _Cell())
        return next((table[column.name] for table in scope.values() if column.name in table), _Cell())


def _together(cells: Sequence[_Cell]) -> _Cell:
    """Where a value comes from that is made of several."""
    parts: dict[str, list[_Cell]] = {}
    for cell in cells:
        for name, part in cell.parts.items():
            parts.setdefault(name, []).append(part)
    origins = frozenset[Origin]().union(*(cell.origins for cell in cells))
    return _Cell(origins, {name: _together(some) for name, some in parts.items()})
