"""The cells of a run of steps as a graph: what each is computed from, and the steps that compute them side by side."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from sqlglot import exp

from pravin_core.sql.trees import column as col

Steps = list[tuple[str, exp.Select]]


@dataclass(eq=False)
class ExprNode:
    """A column as it is somewhere in a run of steps: its expression over earlier cells, or a column of the table before
    them. `origins` are the columns of that table which it follows from, `level` the steps it needs after each other.
    """

    name: str
    value: exp.Expr | None = None
    needs: list[ExprNode] = field(default_factory=list)
    level: int = 0
    origins: frozenset[str] = frozenset()

    @staticmethod
    def of_table(name: str) -> ExprNode:
        """A column of the table before the steps."""
        return ExprNode(name, origins=frozenset({name}))

    @staticmethod
    def computed(name: str, value: exp.Expr, needs: Sequence[ExprNode]) -> ExprNode:
        """A cell of an expression whose columns are, in order of `find_all`, the needed cells."""
        level = 1 + max((need.level for need in needs), default=0)
        return ExprNode(name, value, list(needs), level, frozenset().union(*(need.origins for need in needs)))

    def written(self) -> exp.Expr:
        """The expression over the names of the cells it needs."""
        assert self.value is not None
        value = self.value.copy()
        for node, need in zip(list(value.find_all(exp.Column)), self.needs, strict=True):
            node.replace(col(need.name))
        return value


def written(name: str, source: exp.Table, cells: Mapping[str, ExprNode]) -> Steps:
    """Steps over a table after which a step of that name has the wanted cells, by name; no more steps than they need."""
    last = max((cell.level for cell in cells.values()), default=0)
    kept: list[ExprNode] = list(dict.fromkeys(cells.values()))
    levels: list[list[ExprNode]] = []
    for level in range(last, 0, -1):
        levels.insert(0, kept)
        inner = (need for cell in kept for need in (cell.needs if cell.level == level else [cell]))
        kept = list(dict.fromkeys(inner))
    steps: Steps = []
    for level, shown in enumerate(levels[:-1], start=1):
        here = f"{name}_{level}"
        steps.append((here, selected((_shown(cell, level) for cell in shown), source)))
        source = exp.to_table(here)
    final = (_shown(cell, last, name) for name, cell in cells.items())
    return [*steps, (name, selected(final, source))]


def selected(shown: Iterable[exp.Expr], source: exp.Expr) -> exp.Select:
    """A query of expressions over a table."""
    return exp.select(*shown, copy=False).from_(source, copy=False)


def _shown(cell: ExprNode, level: int, name: str = "") -> exp.Expr:
    is_computed = cell.level == level and cell.value is not None
    if not is_computed and not name:
        return col(cell.name)
    return exp.alias_(cell.written() if is_computed else col(cell.name), name or cell.name, quoted=True, copy=False)
