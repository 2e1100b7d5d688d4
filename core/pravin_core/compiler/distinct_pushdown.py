"""Cells that follow from one delivered value, computed once for each different value instead of in every record.

Most columns of most deliveries hold few different values. What rules make of one value alone (trimmed, read as a
number, whether that changed it) is then put beside the table of the column's different values, and each record takes it
from there. Only cells over several columns, or over columns whose values hardly repeat, are computed record by record.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from sqlglot import exp

from pravin_core.compiler.expression_graph import ExprNode, Steps, reached, selected, written
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import copied, met, table, template
from pravin_core.tables.columns import RECORD

_KEY = "__value"
_RECORD_OF_LIST = template(f'list_extract(t.{RECORD}, 1) AS "{RECORD}"')
# parts of a query that are no value by themselves
_NO_VALUES = (exp.Column, exp.PropertyEQ, exp.Kwarg, exp.Slice, exp.If, exp.Lambda)
# what cannot fail, whatever the value
_SAFE = (
    exp.Column, exp.Identifier, exp.Null, exp.Boolean, exp.Literal, exp.Is, exp.Not, exp.Paren, exp.And, exp.Or,
    exp.NullSafeEQ, exp.NullSafeNEQ, exp.DataType,
)  # fmt: skip
_SLIGHT = (exp.Column, exp.Identifier, exp.Null, exp.Is, exp.Not, exp.Paren)


@dataclass(frozen=True)
class RepeatingColumns:
    """Columns of a table whose values repeat, each with the table of its different values (in a column of the same name)."""

    source: str
    tables: Mapping[str, str]


def push_down_distinct(
    name: str, source: exp.Table, wanted: Mapping[str, ExprNode], repeating: RepeatingColumns
) -> Steps:
    """Steps after which a step of that name has the wanted cells, in the order of the records."""
    split = _Split({text: repeating.tables[text] for text in _is_worth_it(wanted) if text in repeating.tables})
    outer = split.of(wanted)
    if not split.inner:
        return written(name, source, wanted)
    steps: Steps = []
    # values are met from the left, so that the records keep their order
    base = selected([], _in_whole_pieces(source).as_("t"))
    shown = [_RECORD_OF_LIST.copy() if text == RECORD else col(text, "t") for text in _of_table(outer)]
    for at, (origin, cells) in enumerate(split.inner.items()):
        here, alias = f"{name}_once_{at}", f"o{at}"
        steps += written(here, table(repeating.tables[origin]), {_KEY: ExprNode.of_table(origin), **cells})
        alike = exp.NullSafeEQ(this=col(origin, "t"), expression=col(_KEY, alias))
        met(base, table(here, alias), alike)
        shown += [col(cell, alias) for cell in cells]
    beside = f"{name}_0"
    return [*steps, (beside, base.select(*shown, copy=False)), *written(name, table(beside), outer)]


def _in_whole_pieces(source: exp.Table) -> exp.Subquery:
    """The records with their numbers in lists. A join holds back pieces of fewer than 64 records until the end, which takes them
    out of their order, unless one of its columns is a list.
    """
    in_list = exp.alias_(exp.Array(expressions=[col(RECORD)]), RECORD, quoted=True)
    return exp.select(exp.Star(replace=[in_list])).from_(source).subquery(copy=False)


def _is_worth_it(cells: Mapping[str, ExprNode]) -> list[str]:
    """The columns of which more than one cell is made: a single one is computed as fast as it is looked up."""
    counter = Counter(origin for cell in reached(cells) if cell.value is not None and len(cell.origins) == 1
                   for origin in cell.origins)  # fmt: skip
    return [origin for origin, count in counter.items() if count > 1]


def _of_table(cells: Mapping[str, ExprNode]) -> list[str]:
    """The columns of the table itself that cells need."""
    return [cell.name for cell in reached(cells) if cell.value is None and cell.origins]


class _Split:
    """The graph of cells in two: `inner`, by origin, what follows from one repeating value, and what is over it."""

    def __init__(self, tables: Mapping[str, str]) -> None:
        self._tables = tables
        self.inner: dict[str, dict[str, ExprNode]] = {}
        self._outer: dict[ExprNode, ExprNode] = {}
        self._parts: dict[tuple[exp.Expr, tuple[tuple[str, int], ...]], ExprNode] = {}

    def of(self, cells: Mapping[str, ExprNode]) -> dict[str, ExprNode]:
        """The wanted cells over the table and the inner cells, which are put down on the way."""
        for cell in reached(cells):
            if not self._is_inner(cell):
                self._outer[cell] = cell if cell.value is None else self._over(cell, cell.value)
        return {name: self._met(cell) for name, cell in cells.items()}

    def _is_inner(self, cell: ExprNode) -> bool:
        return cell.value is not None and self._repeats(cell.origins)

    def _repeats(self, origins: frozenset[str]) -> bool:
        return len(origins) == 1 and origins <= self._tables.keys()

    def _met(self, cell: ExprNode) -> ExprNode:
        """A cell as those over it see it."""
        if self._is_inner(cell):
            (origin,) = cell.origins
            self.inner.setdefault(origin, {})[cell.name] = cell
            self._outer.setdefault(cell, ExprNode(cell.name))
        return self._outer[cell]

    def _over(self, cell: ExprNode, value: exp.Expr) -> ExprNode:
        """A cell whose parts that follow from one repeating value are cells of their own."""
        if not any(self._repeats(need.origins) for need in cell.needs.values()):
            return ExprNode.computed(cell.name, value, {name: self._outer[need] for name, need in cell.needs.items()})
        value, needs = copied(value), dict(cell.needs)
        self._divide(value, needs, _origins(value, needs), False)
        names = {node.name for node in value.find_all(exp.Column)}
        return ExprNode.computed(cell.name, value, {name: self._met(needs[name]) for name in sorted(names)})

    def _divide(
        self, node: exp.Expr, needs: dict[str, ExprNode], origins: dict[int, frozenset[str]], perhaps: bool
    ) -> None:
        """Replace parts of an expression; `perhaps`: it is not computed for every record, so that it must not fail."""
        for part, is_perhaps in _parts(node):
            from_ = origins[id(part)]
            doubtful = perhaps or is_perhaps
            if self._repeats(from_) and _is_worth(part) and (not doubtful or _is_safe(part)):
                self._replace(part, needs)
            elif from_:
                self._divide(part, needs, origins, doubtful)

    def _replace(self, part: exp.Expr, needs: dict[str, ExprNode]) -> None:
        read = {node.name: needs[node.name] for node in part.find_all(exp.Column)}
        key = (part, tuple((name, id(cell)) for name, cell in read.items()))
        if key not in self._parts:
            self._parts[key] = ExprNode.computed(f"__o{len(self._parts)}", copied(part), read)
        cell = self._parts[key]
        part.replace(col(cell.name))
        needs[cell.name] = cell


def _origins(value: exp.Expr, needs: Mapping[str, ExprNode]) -> dict[int, frozenset[str]]:
    """What each node of an expression follows from, by its identity."""
    known: dict[int, frozenset[str]] = {}
    for node in reversed(list(value.bfs())):  # parts before what they are part of
        own = needs[node.name].origins if isinstance(node, exp.Column) else frozenset()
        known[id(node)] = own.union(*(known[id(part)] for part in node.iter_expressions()))
    return known


def _parts(node: exp.Expr) -> Iterator[tuple[exp.Expr, bool]]:
    """The parts of an expression, and whether each is computed only for some records."""
    after_first = isinstance(node, exp.Case | exp.Coalesce | exp.And | exp.Or | exp.If)
    # an operation by name may ask for its parts only sometimes, or catch what fails in them
    none = isinstance(node, exp.Anonymous | exp.Try)
    for at, part in enumerate(list(node.iter_expressions())):
        if not isinstance(part, exp.Lambda):
            yield part, none or (after_first and at > 0)


def _is_worth(node: exp.Expr) -> bool:
    """Whether a part is a value that is dearer to compute than to look up."""
    is_value = isinstance(node, exp.Condition) and not isinstance(node, _NO_VALUES)
    return is_value and any(not isinstance(each_node, _SLIGHT) for each_node in node.walk())


def _is_safe(node: exp.Expr) -> bool:
    """Whether a part can be computed for every record, since it cannot fail."""
    return all(
        isinstance(each_node, _SAFE) or (isinstance(each_node, exp.Cast) and _is_said(each_node))
        for each_node in node.walk()
    )


def _is_said(node: exp.Cast) -> bool:
    """Whether a cast is one of true or false, which always succeeds."""
    return isinstance(node.this.unnest(), exp.Predicate)
