"""The cells of a run of steps as a graph: what each is computed from, and the steps that compute them side by side."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from sqlglot import exp

from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import copied, table

Steps = list[tuple[str, exp.Select]]


@dataclass(eq=False)
class ExprNode:
    """A column as it is somewhere in a run of steps: its expression over earlier cells, or a column of the table before
    them. `needs` are those cells by the names that the expression calls them; `origins` the columns of that table which it
    follows from, `level` the steps it needs after each other.
    """

    name: str
    value: exp.Expr | None = None
    needs: Mapping[str, ExprNode] = field(default_factory=dict)
    level: int = 0
    origins: frozenset[str] = frozenset()

    @staticmethod
    def of_table(name: str) -> ExprNode:
        """A column of the table before the steps."""
        return ExprNode(name, origins=frozenset({name}))

    @staticmethod
    def computed(name: str, value: exp.Expr, needs: Mapping[str, ExprNode]) -> ExprNode:
        """A cell of an expression over needed cells."""
        level = 1 + max((need.level for need in needs.values()), default=0)
        return ExprNode(name, value, needs, level, frozenset().union(*(need.origins for need in needs.values())))

    def written(self) -> exp.Expr:
        """The expression over the names of the cells it needs."""
        assert self.value is not None
        return copied(self.value, self._called)

    def _called(self, node: exp.Expr) -> exp.Expr | None:
        return col(self.needs[node.name].name) if isinstance(node, exp.Column) else None


def written(name: str, source: exp.Table, cells: Mapping[str, ExprNode]) -> Steps:
    """Steps over a table after which a step of that name has the wanted cells, by name; no more steps than they need.

    Those between pass everything on by a star: the engine leaves out what nobody asks for.
    """
    levels: dict[int, list[ExprNode]] = {}
    for cell in reached(cells):
        if cell.value is not None:
            levels.setdefault(cell.level, []).append(cell)
    last = max((cell.level for cell in cells.values()), default=0)
    steps: Steps = []
    for level in range(1, last):
        here = f"{name}_{level}"
        computed = [exp.alias_(cell.written(), cell.name, quoted=True, copy=False) for cell in levels[level]]
        steps.append((here, selected([exp.Star(), *computed], source)))
        source = table(here)
    return [*steps, (name, selected((_shown(cell, last, name) for name, cell in cells.items()), source))]


def reached(cells: Mapping[str, ExprNode]) -> list[ExprNode]:
    """The wanted cells and all that they need, each after those that it needs."""
    results: dict[ExprNode, None] = dict.fromkeys(cells.values())
    waiting = list(results)
    while waiting:
        for need in waiting.pop().needs.values():
            if need not in results:
                results[need] = None
                waiting.append(need)
    return sorted(results, key=lambda cell: cell.level)


def selected(shown: Iterable[exp.Expr], source: exp.Expr) -> exp.Select:
    """A query of expressions over a table."""
    return exp.select(*shown, copy=False).from_(source, copy=False)


def _shown(cell: ExprNode, last: int, name: str) -> exp.Expr:
    is_computed = cell.level == last and cell.value is not None
    return exp.alias_(cell.written() if is_computed else col(cell.name), name, quoted=True, copy=False)
