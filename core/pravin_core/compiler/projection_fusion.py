"""The steps of a chain as few wide ones: cells that do not need each other are computed side by side.

A chain has a step or two for each rule, and the engine's planner and projections cost for each of them. What a step
writes depends on a few columns only, so that sixty rules often need no more than a dozen steps after each other.
"""

from __future__ import annotations

from collections.abc import Sequence

from sqlglot import exp

from pravin_core.compiler.distinct_pushdown import RepeatingColumns, push_down_distinct
from pravin_core.compiler.expression_graph import ExprNode, Steps, written
from pravin_core.compiler.projection import Projection, as_projection
from pravin_core.sql.trees import table

Run = list[tuple[str, Projection]]


def fuse_projections(
    steps: Sequence[tuple[str, exp.Select | Projection]],
    seen: set[str] | None = None,
    repeating: RepeatingColumns | None = None,
) -> Steps:
    """Named steps, in order, with the same last table: runs of plain projections become layers.

    With `seen` the last table has those of its columns only, where its step is in such a run. With `repeating`, cells that
    follow from one value of a delivered column are computed once for each of its different values.
    """
    new_steps: Steps = []
    run: Run = []
    for name, step in steps:
        projection = step if isinstance(step, Projection) else as_projection(step)
        is_plain = projection is not None and projection.is_of_records
        if run and (projection is None or not is_plain or projection.source.name != run[-1][0]):
            new_steps += _layers(run, None, repeating)
            run = []
        if projection is not None and is_plain:
            run.append((name, projection))
        else:
            new_steps.append((name, step.select() if isinstance(step, Projection) else step))
    return new_steps + (_layers(run, seen, repeating) if run else [])


def _layers(run: Run, seen: set[str] | None, repeating: RepeatingColumns | None) -> Steps:
    name, last = run[-1]
    if len(run) == 1:
        return [(name, last.select())]
    source = table(run[0][1].source.name)
    shown = [each for each in last.cells if seen is None or each in seen]
    nodes: dict[str, ExprNode] = {}
    count = 0
    for projection, needed in _needed([projection for _, projection in run], shown):
        before, nodes = nodes, {}
        for each in projection.cells:
            if each not in needed:
                continue
            if (value := projection.computed.get(each)) is None:
                passed = projection.passed(each)
                nodes[each] = before.setdefault(passed, ExprNode.of_table(passed))
                continue
            count += 1
            needs = {need: before.setdefault(need, ExprNode.of_table(need)) for need in sorted(projection.reads[each])}
            nodes[each] = ExprNode.computed(f"__c{count}", value, needs)
    requested = {each: nodes[each] for each in shown}
    if repeating is not None and repeating.source == source.name:
        return push_down_distinct(name, source, requested, repeating)
    return written(name, source, requested)


def _needed(run: Sequence[Projection], shown: Sequence[str]) -> list[tuple[Projection, set[str]]]:
    """Each projection with those of its columns that what is shown at the end needs."""
    needed = set(shown)
    results = []
    for projection in reversed(run):
        results.append((projection, needed))
        before: set[str] = set()
        for name in needed:
            before |= projection.reads[name] if name in projection.computed else {projection.passed(name)}
        needed = before
    return results[::-1]
