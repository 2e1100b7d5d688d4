"""How the values of each column are distributed in two released tables: then and now, in the same classes."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict
from sqlglot import exp

from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import connect
from pravin_core.releases.comparing import Side, records_of
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables.types import NUMBERS, DataType

MOST_VALUES = 8  # of a column of text that have a class of their own
CUTS = tuple(tenth / 10 for tenth in range(1, 10))
_MEASURED = (*NUMBERS, DataType.DATE, DataType.DATETIME)


class ValueClass(BaseModel):
    """A class of values, and how many records have one then and now. `kind` tells a class of one `value` from ranges and from the
    classes of missing and of all other values.
    """

    model_config = ConfigDict(frozen=True)

    kind: str
    label: str
    before: int
    after: int


class ColumnDistribution(BaseModel):
    """A column in both tables. `distance` is the total variation distance: the share of records that would have to lie in another
    class for both to be alike, from 0 to 1; 0 where a table has no records.
    """

    model_config = ConfigDict(frozen=True)

    name: str
    type_before: str
    type_after: str
    distance: float
    classes: tuple[ValueClass, ...]


class Distributions(BaseModel):
    """The records of two tables, and the columns that both have, the most different first."""

    model_config = ConfigDict(frozen=True)

    records_before: int
    records_after: int
    columns: tuple[ColumnDistribution, ...]


def distributions(before: Side, after: Side, scratch: Path, limits: Limits = Limits()) -> Distributions:
    """Count every record of two tables by classes of values, column by column.

    Numbers and dates fall into the tenths of the first table (by quantiles that are values of it), all else, and columns whose types
    differ, into the most frequent values of either table as written text; a value that no other record has gets no class.
    """
    types_before, types_after = dict(before.columns), dict(after.columns)
    with connect([path.parent for side in (before, after) for path in side.files], scratch, limits) as con:
        records = [_count(con, side) for side in (before, after)]
        columns = [
            _distribution(con, before, after, name, (types_before[name], kind), records)
            for name, kind in types_after.items()
            if name in types_before
        ]
    columns.sort(key=lambda each: -each.distance)
    return Distributions(records_before=records[0], records_after=records[1], columns=tuple(columns))


def distance_of(classes: Sequence[ValueClass], records: Sequence[int]) -> float:
    """The total variation distance of two distributions over the same classes."""
    if not all(records):
        return 0.0
    return sum(abs(each.before / records[0] - each.after / records[1]) for each in classes) / 2


def _count(con: Connection, side: Side) -> int:
    row = con.execute(sql(records_of(side).select("count(*)"))).fetchone()
    return int(row[0]) if row else 0


def _distribution(
    con: Connection,
    before: Side,
    after: Side,
    name: str,
    types: tuple[DataType, DataType],
    records: Sequence[int],
) -> ColumnDistribution:
    is_measured = types[0] in _MEASURED and (types[0] is types[1] or {*types} <= {*NUMBERS})
    cuts = _cuts(con, before, name, types[0]) if is_measured else []
    if cuts:
        classes = _by_cuts(con, (before, after), name, cuts)
    else:
        classes = _by_values(con, (before, after), name, types, records)
    return ColumnDistribution(
        name=name,
        type_before=types[0].value,
        type_after=types[1].value,
        distance=distance_of(classes, records),
        classes=tuple(each for each in classes if each.before or each.after),
    )


def _cuts(con: Connection, side: Side, name: str, kind: DataType) -> list[tuple[Any, str]]:
    """The values of a table that divide it into tenths, rising, and how they are written; none where all is missing."""
    tenths = exp.Array(expressions=[exp.convert(cut) for cut in CUTS])
    quantiles = records_of(side).select(
        template("quantile_disc(:v, :tenths)", v=column(name), tenths=tenths).as_("cuts")
    )
    query = template(
        "SELECT cut, :told FROM (SELECT DISTINCT unnest(cuts) AS cut FROM :q) AS c WHERE cut IS NOT NULL ORDER BY cut",
        told=written(column("cut"), kind),
        q=quantiles.subquery("q"),
    )
    return [(value, told) for value, told in con.execute(sql(query)).fetchall()]


def _by_cuts(con: Connection, sides: Sequence[Side], name: str, cuts: Sequence[tuple[Any, str]]) -> list[ValueClass]:
    up_to = [template(f"count(*) FILTER (:v <= $cut{at})", v=column(name)) for at in range(len(cuts))]
    all_of = template("count(:v)", v=column(name)), template("count(*) - count(:v)", v=column(name))
    values = {f"cut{at}": value for at, (value, _) in enumerate(cuts)}
    counted = [con.execute(sql(records_of(side).select(*up_to, *all_of)), values).fetchone() or () for side in sides]
    told = [label for _, label in cuts]
    labels = [f"up to {told[0]}", *(f"above {low}, up to {high}" for low, high in pairwise(told)), f"above {told[-1]}"]
    before, after = ([row[0], *(b - a for a, b in pairwise(row[:-1]))] for row in counted)
    missing = ValueClass(kind="missing", label="missing", before=counted[0][-1], after=counted[1][-1])
    ranges = zip(labels, before, after, strict=True)
    return [missing, *(ValueClass(kind="range", label=label, before=a, after=b) for label, a, b in ranges)]


def _by_values(
    con: Connection, sides: Sequence[Side], name: str, types: tuple[DataType, DataType], records: Sequence[int]
) -> list[ValueClass]:
    texts = [written(column(name), kind) for kind in types]
    most = [_most_frequent(con, side, text) for side, text in zip(sides, texts, strict=True)]
    # the most frequent of either table are among the most frequent of one of them
    values = sorted({*most[0], *most[1]}, key=lambda value: (-max(n.get(value, 0) for n in most), value))[:MOST_VALUES]
    counted = [_counted(con, side, text, values) for side, text in zip(sides, texts, strict=True)]
    both = [
        ValueClass(kind="value", label=value, before=before, after=after)
        for value, before, after in zip(values, counted[0][1:], counted[1][1:], strict=True)
    ]
    both.sort(key=lambda each: (-each.before, -each.after, each.label))
    rest = [total - sum(counts) for total, counts in zip(records, counted, strict=True)]
    return [
        ValueClass(kind="missing", label="missing", before=counted[0][0], after=counted[1][0]),
        *both,
        ValueClass(kind="other", label="other values", before=rest[0], after=rest[1]),
    ]


def _most_frequent(con: Connection, side: Side, text: exp.Expr) -> dict[str, int]:
    """The most frequent values of a column that two records have at least, and how many have them."""
    grouped = records_of(side).select(text.as_("value"), template("count(*)").as_("n")).group_by("1")
    query = template(
        "SELECT value, n FROM :g WHERE value IS NOT NULL AND n > 1 ORDER BY n DESC, value LIMIT :most",
        g=grouped.subquery("g"),
        most=MOST_VALUES,
    )
    return dict(con.execute(sql(query)).fetchall())


def _counted(con: Connection, side: Side, text: exp.Expr, values: Sequence[str]) -> list[int]:
    """How many records miss a value of a column, and how many have each of some."""
    each_of = [template("count(*) FILTER (:t = :v)", t=text, v=exp.Literal.string(value)) for value in values]
    row = con.execute(
        sql(records_of(side).select(template("count(*) FILTER (:t IS NULL)", t=text), *each_of))
    ).fetchone()
    return [int(n) for n in row or ()]
