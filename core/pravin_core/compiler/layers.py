"""The steps of a chain as few wide ones: cells that do not need each other are computed side by side.

A chain has a step or two for each rule, and the engine's planner and projections cost for each of them. What a step
writes depends on a few columns only, so that sixty rules often need no more than a dozen steps after each other.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from sqlglot import exp

from pravin_core.engines.duckdb import column as col


@dataclass(eq=False)
class _Cell:
    """A column as it is somewhere in a run of steps: its expression over earlier cells, or a column of the table before it."""

    name: str
    level: int = 0
    value: exp.Expr | None = None
    needs: list[_Cell] = field(default_factory=list)

    def written(self) -> exp.Expr:
        """The expression over the names of the cells it needs."""
        assert self.value is not None
        value = self.value.copy()
        for node, need in zip(list(value.find_all(exp.Column)), self.needs, strict=True):
            node.replace(col(need.name))
        return value


def layered(steps: Sequence[tuple[str, exp.Select]], seen: set[str] | None = None) -> list[tuple[str, exp.Select]]:
    """Named steps, in order, with the same last table: runs of plain projections become layers.

    With `seen` the last table has those of its columns only, where its step is in such a run.
    """
    made: list[tuple[str, exp.Select]] = []
    run: list[tuple[str, exp.Select]] = []
    for name, query in steps:
        source = _plain_source(query)
        if run and (source is None or source.name != run[-1][0]):
            made += _layers(run)
            run = []
        if source is None:
            made.append((name, query))
        else:
            run.append((name, query))
    return made + (_layers(run, seen) if run else [])


def _plain_source(query: exp.Select) -> exp.Table | None:
    """The one table that a mere projection reads, every record by itself; None for every other query."""
    given = {name for name, value in query.args.items() if value}
    source = query.args.get("from_") or query.args.get("from")
    if source is None or given - {"expressions", "from_", "from"} or not isinstance(source.this, exp.Table):
        return None
    if isinstance(source.this.this, exp.Func):  # a table that is read, not a step
        return None
    looks_further = (exp.Window, exp.Query, exp.AggFunc, exp.Star, exp.Unnest, exp.Explode)
    if any(one.find(*looks_further) for one in query.expressions if not isinstance(one, exp.Column)):
        return None
    return source.this


def _layers(run: Sequence[tuple[str, exp.Select]], seen: set[str] | None = None) -> list[tuple[str, exp.Select]]:
    if len(run) == 1:
        return list(run)
    source = _plain_source(run[0][1])
    assert source is not None
    delivered: dict[str, _Cell] = {}
    cells: dict[str, _Cell] | None = None
    count = 0
    for _, query in run:
        after: dict[str, _Cell] = {}
        for one in query.expressions:
            value = one.unalias()
            if isinstance(value, exp.Column):
                after[one.alias_or_name] = _found(value.name, cells, delivered)
                continue
            count += 1
            after[one.alias_or_name] = _made(f"__c{count}", value, cells, delivered)
        cells = after
    assert cells is not None
    wanted = {name: cell for name, cell in cells.items() if seen is None or name in seen}
    last = max((cell.level for cell in wanted.values()), default=0)
    kept: list[_Cell] = list(dict.fromkeys(wanted.values()))
    levels: list[list[_Cell]] = []
    for level in range(last, 0, -1):
        levels.insert(0, kept)
        inner = (need for cell in kept for need in (cell.needs if cell.level == level else [cell]))
        kept = list(dict.fromkeys(inner))
    name, base = run[-1][0], exp.to_table(source.name)
    made: list[tuple[str, exp.Select]] = []
    for level, shown in enumerate(levels[:-1], start=1):
        here = f"{name}_{level}"
        made.append((here, exp.select(*(_shown(cell, level) for cell in shown), copy=False).from_(base, copy=False)))
        base = exp.to_table(here)
    final = [_shown(cell, last, name) for name, cell in wanted.items()]
    return [*made, (name, exp.select(*final, copy=False).from_(base, copy=False))]


def _found(name: str, cells: dict[str, _Cell] | None, delivered: dict[str, _Cell]) -> _Cell:
    if cells is not None:
        return cells[name]
    return delivered.setdefault(name, _Cell(name))


def _made(name: str, value: exp.Expr, cells: dict[str, _Cell] | None, delivered: dict[str, _Cell]) -> _Cell:
    """A cell of its own over those that its expression needs."""
    needs = [_found(node.name, cells, delivered) for node in value.find_all(exp.Column)]
    return _Cell(name, 1 + max((need.level for need in needs), default=0), value, needs)


def _shown(cell: _Cell, level: int, name: str = "") -> exp.Expr:
    made = cell.level == level and cell.value is not None
    if not made and not name:
        return col(cell.name)
    return exp.alias_(cell.written() if made else col(cell.name), name or cell.name, quoted=True, copy=False)
