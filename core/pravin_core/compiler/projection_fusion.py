"""The steps of a chain as few wide ones: cells that do not need each other are computed side by side.

A chain has a step or two for each rule, and the engine's planner and projections cost for each of them. What a step
writes depends on a few columns only, so that sixty rules often need no more than a dozen steps after each other.
"""

from __future__ import annotations

from collections.abc import Sequence

from sqlglot import exp

from pravin_core.compiler.distinct_pushdown import RepeatingColumns, push_down_distinct
from pravin_core.compiler.expression_graph import ExprNode, Steps, written


def fuse_projections(
    steps: Sequence[tuple[str, exp.Select]], seen: set[str] | None = None, repeating: RepeatingColumns | None = None
) -> Steps:
    """Named steps, in order, with the same last table: runs of plain projections become layers.

    With `seen` the last table has those of its columns only, where its step is in such a run. With `repeating`, cells that
    follow from one value of a delivered column are computed once for each of its different values.
    """
    new_steps: Steps = []
    run: Steps = []
    for name, query in steps:
        source = _plain_source(query)
        if run and (source is None or source.name != run[-1][0]):
            new_steps += _layers(run, None, repeating)
            run = []
        if source is None:
            new_steps.append((name, query))
        else:
            run.append((name, query))
    return new_steps + (_layers(run, seen, repeating) if run else [])


def _plain_source(query: exp.Select) -> exp.Table | None:
    """The one table that a mere projection reads, every record by itself; None for every other query."""
    names = {name for name, value in query.args.items() if value}
    source = query.args.get("from_") or query.args.get("from")
    if source is None or names - {"expressions", "from_", "from"} or not isinstance(source.this, exp.Table):
        return None
    if isinstance(source.this.this, exp.Func):  # a table that is read, not a step
        return None
    looks_further = (exp.Window, exp.Query, exp.AggFunc, exp.Star, exp.Unnest, exp.Explode)
    if any(
        expression.find(*looks_further) for expression in query.expressions if not isinstance(expression, exp.Column)
    ):
        return None
    return source.this


def _layers(run: Steps, seen: set[str] | None, repeating: RepeatingColumns | None) -> Steps:
    if len(run) == 1:
        return list(run)
    source = _plain_source(run[0][1])
    assert source is not None
    delivered: dict[str, ExprNode] = {}
    cells: dict[str, ExprNode] | None = None
    count = 0
    for _, query in run:
        after: dict[str, ExprNode] = {}
        for expression in query.expressions:
            value = expression.unalias()
            if isinstance(value, exp.Column):
                after[expression.alias_or_name] = _found(value.name, cells, delivered)
                continue
            count += 1
            needs = [_found(node.name, cells, delivered) for node in value.find_all(exp.Column)]
            after[expression.alias_or_name] = ExprNode.computed(f"__c{count}", value, needs)
        cells = after
    assert cells is not None
    name, table = run[-1][0], exp.to_table(source.name)
    requested = {name: cell for name, cell in cells.items() if seen is None or name in seen}
    if repeating is not None and repeating.source == source.name:
        return push_down_distinct(name, table, requested, repeating)
    return written(name, table, requested)


def _found(name: str, cells: dict[str, ExprNode] | None, delivered: dict[str, ExprNode]) -> ExprNode:
    if cells is not None:
        return cells[name]
    return delivered.setdefault(name, ExprNode.of_table(name))
