"""Series of moments: one a station, or one in all."""

from __future__ import annotations

from dataclasses import dataclass

from sqlglot import exp

from pravin_core.engines.kinds import moment_of
from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import TableStudy
from pravin_core.sql.statements import temporary_table
from pravin_core.sql.trees import column, sql
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import DataType, Role

MOST_SERIES = 2000
LEAST_MOMENTS = 50
LEAST_LENGTH = 10
NEARLY_ALL = 0.94


@dataclass(frozen=True)
class Series:
    """The moments of a table, in the temporary table `series(r, s, m)`: record, station and moment. `station` is None when
    they are one series.
    """

    table: TableStudy
    moment: ColumnProfile
    station: ColumnProfile | None

    @property
    def columns(self) -> list[str]:
        """The columns that say which moment of which station a record is of."""
        return [self.station.name, self.moment.name] if self.station else [self.moment.name]


def moment_in(profile: ColumnProfile) -> exp.Expr:
    """The moment of a cell, in the forms in which its column is written."""
    return moment_of(text_of(profile.name), [form.value for form in profile.dates.formats] if profile.dates else [])


def series_of(table: TableStudy) -> Series | None:
    """The series that the first column of moments makes, kept for queries; None when its moments make none."""
    moment = next(
        (
            each_column
            for each_column in table.having(Role.TIME)
            if each_column.type is DataType.DATETIME and each_column.dates
        ),
        None,
    )
    if moment is None or moment.dates is None or moment.distinct < LEAST_MOMENTS:
        return None
    station = None
    if (
        moment.distinct <= 0.98 * moment.dates.count
        and (station := _station(table, moment, moment.dates.count)) is None
    ):
        return None
    name = text_of(station.name) if station else exp.Literal.string("")
    rows = exp.select(column(RECORD).as_("r"), exp.alias_(name, "s"), exp.alias_(moment_in(moment), "m"))
    dated = exp.select("*").from_(rows.from_(table.source).subquery("d")).where("m IS NOT NULL")
    table.con.execute(sql(temporary_table("series", dated)))
    return Series(table, moment, station)


def _station(table: TableStudy, moment: ColumnProfile, moments: int) -> ColumnProfile | None:
    """The column whose values have a series each: that with the fewest values in which hardly
    any moment comes twice, and which have ten moments each on average."""
    able = [
        each_column
        for each_column in table.having(Role.IDENTIFIER, Role.CATEGORY)
        if 2 <= each_column.distinct <= MOST_SERIES
    ]
    for column_ in sorted(able, key=lambda each_column: each_column.distinct):
        if moments < LEAST_LENGTH * column_.distinct:
            return None
        pair = exp.select(exp.alias_(text_of(column_.name), "a"), exp.alias_(text_of(moment.name), "b"))
        pairs = exp.select("count(DISTINCT (a, b))").from_(pair.from_(table.source).subquery("p"))
        if table.ask(pairs)[0][0] > NEARLY_ALL * moments:
            return column_
    return None
