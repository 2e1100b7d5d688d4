"""What table corrections work with: the table so far, and the shape they give it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from sqlglot import exp

from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import FILE, GONE, LINE, PLACE, RECORD, Column

Cell = tuple[Column, exp.Expr]


@dataclass(frozen=True)
class Reference:
    """Another table that rules look into: where it is read from (with record numbers), its columns (text unless typed),
    which state of it this is, and the folder that its files lie in.
    """

    source: exp.Expr
    columns: tuple[Column, ...]
    version: str = ""
    folder: Path | None = None


@dataclass(frozen=True)
class Table:
    """The table as the rules above left it: a named step with `columns`, and small columns carried along.

    `number` is the place of the rule at hand. With `traced` the carried columns hold where added and merged records
    belong (ADDED, MADE_FROM, MERGED_INTO) and PLACE, the order of the records.
    """

    name: str
    number: int
    columns: tuple[Column, ...]
    system_columns: tuple[str, ...]
    references: Mapping[str, Reference] = field(default_factory=dict)

    @property
    def live(self) -> exp.Expr:
        """Whether a record is still there."""
        return template(":g IS NULL", g=col(GONE))

    @property
    def order(self) -> str:
        """The column that tells the order of the records."""
        return PLACE if PLACE in self.system_columns else RECORD

    def step(self, at: int) -> str:
        """A name for a step of its own."""
        return f"rule_{self.number}_{at}"

    def select(
        self,
        cells: Sequence[Cell],
        changed: Mapping[str, exp.Expr] | None = None,
        source: exp.Expr | None = None,
        alias: str | None = None,
    ) -> exp.Select:
        """A query of origin, cells and carried columns; `changed` gives new expressions (or new carried columns)."""
        changed = dict(changed or {})
        known = [RECORD, FILE, LINE, *self.system_columns]
        origin = [_named(changed.pop(name, None), name, alias) for name in (RECORD, FILE, LINE)]
        shown = [exp.alias_(cell.copy(), column.name, quoted=True) for column, cell in cells]
        system_columns = [_named(changed.pop(name, None), name, alias) for name in known[3:]]
        more = [exp.alias_(result, name, quoted=True) for name, result in changed.items()]
        return exp.select(*origin, *shown, *system_columns, *more).from_(source or exp.to_table(self.name))

    def cells(self, alias: str | None = None) -> list[Cell]:
        """All columns as they are."""
        return [(column, col(column.name, alias)) for column in self.columns]


def _named(expression: exp.Expr | None, name: str, alias: str | None) -> exp.Expr:
    return col(name, alias) if expression is None else exp.alias_(expression, name, quoted=True)


@dataclass(frozen=True)
class TableTransform:
    """A new shape: steps in order (the last one is the table), its columns, and how many columns were touched.

    `system_columns` names small columns that the last step adds to those carried along; `conversion_failures` pairs a column with the carried
    text of it that could not be treated, which quarantines the record.
    """

    steps: tuple[tuple[str, exp.Select], ...]
    columns: tuple[Column, ...]
    changed_columns: int = 0
    system_columns: tuple[str, ...] = ()
    conversion_failures: tuple[tuple[str, str], ...] = ()


def row_number(order: Sequence[exp.Expr], groups: Sequence[exp.Expr] = ()) -> exp.Window:
    """The place of each record in an order, from 1, within groups."""
    ordered = [term if isinstance(term, exp.Ordered) else exp.Ordered(this=term) for term in order]
    return exp.Window(
        this=exp.Anonymous(this="row_number"), partition_by=list(groups), order=exp.Order(expressions=ordered)
    )
