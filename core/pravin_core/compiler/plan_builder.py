"""The state of compilation: an ordered chain of named steps, each a small pass over the one before it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TypeVar

from sqlglot import exp

from pravin_core.compiler.distinct_pushdown import RepeatingColumns
from pravin_core.compiler.projection import Projection
from pravin_core.compiler.projection_fusion import fuse_projections
from pravin_core.errors import RulebookError
from pravin_core.formulas.language import condition, placed
from pravin_core.formulas.reading import reads
from pravin_core.rules.base import Check, Rule, TableCheck, never_null
from pravin_core.rules.reshaping import Reference, Table
from pravin_core.sql.trees import after, met, table, template
from pravin_core.sql.trees import column as col
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import ORIGIN, RECORD, Column
from pravin_core.tables.types import SQL_TYPES, DataType

Tree = TypeVar("Tree", bound=exp.Expr)
Join = tuple[exp.Expr, exp.Expr]  # a table and the condition on which it is met
TRACES = (names.ADDED, names.MADE_FROM, names.MERGED_INTO, names.PLACE)


@dataclass(frozen=True)
class Step:
    """One step: its name, what it makes of the one before, and the number of the rule it belongs to (0 for none)."""

    name: str
    made: exp.Select | Projection
    rule: int

    @cached_property
    def query(self) -> exp.Select:
        """The step as a query."""
        return self.made.select() if isinstance(self.made, Projection) else self.made

    @property
    def reads_one_table(self) -> bool:
        """Whether it reads one table first, beside which others may be joined."""
        if isinstance(self.made, Projection):
            return isinstance(self.made.source, exp.Table)
        source = self.made.args.get("from_") or self.made.args.get("from")
        return source is not None and isinstance(source.this, exp.Table)

    @property
    def looks_further(self) -> bool:
        """Whether it meets other tables or looks at other records, so that the order of the records may be lost."""
        if isinstance(self.made, Projection):
            return any(value.find(exp.Window) for value in self.made.computed.values())
        return bool(self.made.args.get("joins")) or self.made.find(exp.Window) is not None

    def showing(self, cells: Mapping[str, exp.Expr]) -> Step:
        """The same step with further cells."""
        if isinstance(self.made, Projection):
            return replace(self, made=Projection(self.made.source, {**self.made.cells, **cells}))
        shown = [exp.alias_(value, name, quoted=True) for name, value in cells.items()]
        return replace(self, made=self.made.select(*shown))


@dataclass(frozen=True)
class BitmapLookup:
    """Which records a rule finds by looking at all of them: a query of one row with their numbers as bits, and the variable
    of the engine that is to hold them before anything that comes after is computed.
    """

    name: str
    query: exp.Select


@dataclass
class PlanBuilder:
    """The last step, the columns after it, and the small columns carried along."""

    steps: list[Step] = field(default_factory=list)
    columns: list[Column] = field(default_factory=list)
    system_columns: list[str] = field(default_factory=list)
    conversion_failures: list[tuple[int, str, str]] = field(default_factory=list)  # rule, column, carried text
    reading: set[int] = field(default_factory=set)
    adding: set[int] = field(default_factory=set)  # rules that fill new columns only: no record is corrected by them
    dropped: dict[str, tuple[int, str]] = field(
        default_factory=dict
    )  # columns no longer there: rule, what became of them
    changed_columns: dict[int, int] = field(default_factory=dict)  # columns that a table correction touched
    treated: dict[int, list[tuple[str, Column | None]]] = field(
        default_factory=dict
    )  # by rule: column, as it was before
    references: Mapping[str, Reference] = field(default_factory=dict)
    max_record_id: int | None = (
        None  # the highest record number, where records may be looked up in bits instead of joined
    )
    delivered_on: dt.date | None = None
    lookups: list[BitmapLookup] = field(default_factory=list)
    repeating: RepeatingColumns | None = None

    @property
    def last(self) -> str:
        return self.steps[-1].name

    @property
    def order(self) -> str:
        """The column that tells the order of the records."""
        return names.PLACE if names.PLACE in self.system_columns else RECORD

    def add(self, made: exp.Select | Projection, rule: int = 0, name: str = "") -> None:
        """Put a step at the end."""
        self.steps.append(Step(name or f"step_{len(self.steps)}", made, rule))

    def project(
        self,
        computed: Mapping[str, exp.Expr],
        rule: int = 0,
        shown: Sequence[str] = (),
        alias: str = "",
        joins: Sequence[Join] = (),
    ) -> None:
        """Put a step at the end that passes on all columns, or those `shown` in their order, with some computed anew or beside
        them; `alias` is what the values call the table before, `joins` what it is met with.
        """
        cells = dict.fromkeys(shown or self.known()) | dict(computed)
        projection = Projection(table(self.last, alias), cells)
        if not joins:
            return self.add(projection, rule)
        query = projection.select()
        for other, on in joins:
            met(query, other, on)
        self.add(query, rule)

    def known(self) -> list[str]:
        """The names of all that every step passes on."""
        return [*ORIGIN, *(column.name for column in self.columns), *self.system_columns]

    def everything(self, table: str | None = None) -> list[exp.Expr]:
        """All that every step passes on, spelled out."""
        return [col(name, table) for name in self.known()]

    def live(self) -> exp.Select:
        """The records not removed so far."""
        return exp.select(exp.Star()).from_(self.last).where(template(":g IS NULL", g=col(names.GONE)))

    def fitting(self, rule: Rule, live: exp.Select, alias: str | None = None) -> exp.Select:
        """Those of the live records that fit the condition of a rule."""
        if not rule.condition():
            return live
        cells = {column.name: col(column.name, alias) for column in self.columns}
        return live.where(never_null(placed(condition(rule.condition(), self.columns).expression, cells)))

    def table(self, number: int) -> Table:
        """What a table correction is given."""
        return Table(self.last, number, tuple(self.columns), tuple(self.system_columns), self.references)

    def membership(self, number: int, query: exp.Select) -> exp.Expr | None:
        """Whether a record is among those that a query of record numbers finds; None where the caller is to join them.

        Bits keep the chain a single pass: a join would lose the order of the records and hold all of them for a sort.
        """
        if self.max_record_id is None:
            return None
        name = names.membership(number, len(self.lookups))
        bits = template("bitstring_agg(:r, 0, :n)", r=col(RECORD), n=exp.Literal.number(self.max_record_id))
        seen = {RECORD, *(column.name for column in query.find_all(exp.Column))}
        self.lookups.append(BitmapLookup(name, self._over(exp.select(bits).from_(query.subquery("found")), seen=seen)))
        # no record found leaves nothing to look into
        return template(
            "get_bit(getvariable(:v), CAST(:r AS INTEGER)) IS NOT DISTINCT FROM 1",
            v=exp.Literal.string(name), r=col(RECORD),
        )  # fmt: skip

    def query(self, names_: Sequence[exp.Expr], stepwise: bool = False) -> exp.Select:
        """The whole chain as one query of some columns of its last step; `stepwise` with its steps as rules made them."""
        return self._over(exp.select(*names_).from_(self.last), stepwise)

    def _over(self, whole: exp.Select, stepwise: bool = False, seen: set[str] | None = None) -> exp.Select:
        if stepwise:
            steps = [(step.name, step.query) for step in self.steps]
        else:
            steps = fuse_projections([(step.name, step.made) for step in self.steps], seen, self.repeating)
        return after(whole, steps)


def refer(builder: PlanBuilder, number: int, rule: Rule, references: Mapping[str, Reference]) -> None:
    """A step for the reference table that a rule looks into. Raises RulebookError when there is none of that name."""
    name = getattr(rule, "reference", "")
    step = names.reference_as_text(name) if rule.is_check else names.reference(name)
    if not name or any(each_step.name == step for each_step in builder.steps):
        return
    if name not in references:
        known = ", ".join(sorted(references)) or "none yet"
        raise RulebookError(
            f"Rule {number} looks into the table {name!r}, which is not in the library.",
            rule=rule.id, advice=f"The library has: {known}.",
        )  # fmt: skip
    reference = references[name]
    cells: list[exp.Expr] = [col(RECORD), *(col(column.name) for column in reference.columns)]
    if rule.is_check:  # it compares texts, as people see them
        cells[1:] = [
            exp.alias_(written(col(column.name), column.type), column.name, quoted=True) for column in reference.columns
        ]
    builder.add(exp.select(*cells).from_(reference.source), 0, step)


def start(
    builder: PlanBuilder, source: exp.Expr, columns: Sequence[Column], traced: bool, passing: Sequence[str] = ()
) -> None:
    """The delivered text, or the value that it is known to be; an empty text is a missing value."""
    nothing = {names.GONE: "INTEGER", names.ADDED: "INTEGER", names.MADE_FROM: "BIGINT", names.MERGED_INTO: "BIGINT"}
    system_columns = [names.GONE, *(TRACES if traced else ())]
    cells: dict[str, exp.Expr | None] = dict.fromkeys(ORIGIN)
    cells |= {column.name: _delivered(column) for column in columns}
    for name in system_columns:
        cells[name] = col(RECORD) if name == names.PLACE else exp.cast(exp.null(), nothing[name])
    builder.columns, builder.system_columns = list(columns), [*system_columns, *passing]
    builder.add(Projection(source, cells | dict.fromkeys(passing)))


def _delivered(column: Column) -> exp.Expr:
    cell = template("nullif(:c, '')", c=col(column.delivered))
    return cell if column.type is DataType.TEXT else exp.cast(cell, SQL_TYPES[column.type], dialect="duckdb")


def on_day(query: Tree, day: dt.date | None) -> Tree:
    """A query or condition with the day of the delivery put in where rules ask for it. Raises RulebookError when it is not known."""
    for node in list(query.find_all(exp.Anonymous)):
        if node.name == "delivered_on":
            if day is None:
                raise RulebookError(
                    "A rule asks for the day of the delivery, which is not known here.", advice="Give the day."
                )
            node.replace(exp.cast(exp.Literal.string(day.isoformat()), "DATE"))
    return query


def must_fit(rule: Rule, number: int, builder: PlanBuilder) -> None:
    """Whether the columns that a rule names are there. Raises RulebookError that says which rule took them away."""
    known = {column.name for column in builder.columns}
    for name in (*rule.needs(), *reads(rule.condition())):
        if name in known:
            continue
        if name in builder.dropped:
            by, what_became = builder.dropped[name]
            raise RulebookError(
                f"Rule {number} needs the column {name!r}, which rule {by} {what_became}.",
                rule=rule.id, column=name,
                advice="Name the column as it is called then." if "renames" in what_became
                else f"Remove the column from the rule, or move rule {by} away." if isinstance(rule, Check | TableCheck)
                else "Move the rule above the one that drops the column.",
            )  # fmt: skip
        raise RulebookError(
            f"Rule {number} needs the column {name!r}, which the table does not have.",
            rule=rule.id, column=name, advice="Change the rule or switch it off.",
        )  # fmt: skip
