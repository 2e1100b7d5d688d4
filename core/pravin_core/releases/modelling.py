"""Parts of a released table for modelling: each record falls into one part, and into the same one in every release.

A record's place is the SHA-256 of the seed and its key (or its group), of which the first 13 hexadecimal digits are a number below
2^52. Places are cut where the shares want it. With strata each stratum is cut by itself, at places found once and kept in the
division, so that each part holds the shares of every stratum and a later table is cut in the same places.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import accumulate
from pathlib import Path
from typing import Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator
from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.errors import RunError
from pravin_core.sql.statements import copy_to, read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import NUMBERS, DataType

TOP = 2**52  # places are below
MOST_STRATA = 1000
Way = Literal["records", "groups", "time"]
_BETWEEN, _MISSING = exp.Literal.string("\x1f"), exp.Literal.string("\x1e")
_VALUE = "__value"  # no column of a table begins so
_TIMES = (DataType.DATE, DataType.DATETIME)


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True)


class PartShare(_Frozen):
    """A part and its share in percent."""

    name: str
    share: float = Field(gt=0, le=100)


class StratumCuts(_Frozen):
    """Where the places of a stratum (its value as written text, None: missing) are cut, rising."""

    value: str | None
    cuts: tuple[int, ...]


class Division(_Frozen):
    """How a table is divided. `way`: each record by its key; whole groups by the value of `column`; by the time in `column`, the
    earliest records in the first part. `stratum`: a column of which each part holds the shares (by records only). `watched`: columns
    of which the report tells values that lie in several parts. `left_out`: columns that the parts do not have, with the reason.

    Found once by `settle`: `strata`, or `moments`, the times (ISO 8601) at which each further part begins.
    """

    shares: tuple[PartShare, ...] = Field(min_length=2, max_length=10)
    seed: str = Field(max_length=100)
    way: Way = "records"
    key: tuple[str, ...] = ()
    column: str = ""
    stratum: str = ""
    watched: tuple[str, ...] = ()
    left_out: dict[str, str] = {}
    strata: tuple[StratumCuts, ...] = ()
    moments: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _makes_sense(self) -> Self:
        names = [each.name for each in self.shares]
        if bad := [name for name in names if not re.fullmatch(r"[a-z][a-z0-9_]{0,19}", name)]:
            raise ValueError(
                f"{bad[0]!r} cannot be a part's name: up to 20 lower case letters, digits and _, a letter first"
            )
        if len(set(names)) < len(names):
            raise ValueError("two parts have the same name")
        if abs((total := sum(each.share for each in self.shares)) - 100) > 1e-6:
            raise ValueError(f"the shares make {total:g} %, not 100 %")
        if self.way == "records" and not self.key:
            raise ValueError("records are told apart by the key of the feed, and it has none: agree one in Quarantine")
        if self.way != "records" and not self.column:
            raise ValueError("say by which column")
        if self.way != "records" and self.stratum:
            raise ValueError("whole groups and times cannot be stratified too: a group or a time lies in one part")
        return self

    @property
    def up_to(self) -> list[float]:
        """The share of all records up to the end of each part but the last, from 0 to 1."""
        return [share / 100 for share in accumulate(each.share for each in self.shares)][:-1]


@dataclass(frozen=True)
class Table:
    """A table to divide: what it is selected from (with its record numbers in RECORD), and its columns."""

    source: exp.Expr
    columns: tuple[tuple[str, DataType], ...]

    def text(self, name: str) -> exp.Expr:
        """A column's cells as written text."""
        return written(column(name), dict(self.columns)[name])


class PartCount(_Frozen):
    """A part: its records, and the share that it should have."""

    name: str
    records: int
    share: float


class StratumCount(_Frozen):
    """A stratum, and how many of its records lie in each part."""

    value: str | None
    records: tuple[int, ...]


class Watched(_Frozen):
    """A watched column: how many of its values lie in several parts, how many records have one of them, and the least and the greatest
    value in each part (times and numbers).
    """

    name: str
    values: int
    records: int
    ranges: tuple[tuple[str | None, str | None], ...]


class Report(_Frozen):
    """How a table is divided. `without`: records in no part, since they lack the group or the time. `alike`: records of other parts
    that are like one of the first part in all columns but key and `column`, letter case, outer spaces and the fourth digit aside.
    """

    parts: tuple[PartCount, ...]
    without: int
    strata: tuple[StratumCount, ...]
    watched: tuple[Watched, ...]
    alike: int


def settle(division: Division, table: Table, con: Connection) -> Division:
    """Find where strata or times are cut. Raises RunError for a column that the table lacks or that does not fit."""
    _need_columns(division, table)
    if division.way == "time":
        return division.model_copy(update={"moments": _moments(division, table, con)})
    if division.stratum:
        return division.model_copy(update={"strata": _strata(division, table, con)})
    return division


def divided(division: Division, table: Table) -> exp.Select:
    """The records of a table in order, with their part as the last column, missing where they are in none."""
    cells = [column(name) for name, _ in table.columns]
    part = exp.alias_(_part(division, table), part_column(table), quoted=True)
    rows = exp.select(column(RECORD), *cells, part).from_(table.source.copy())
    if division.strata:
        known = exp.values(
            [(each.value, *each.cuts) for each in division.strata],
            alias="strata",
            columns=[_VALUE, *_cut_names(division)],
        )
        rows = rows.join(
            known,
            on=template("strata.__value IS NOT DISTINCT FROM :s", s=table.text(division.stratum)),
            join_type="left",
        )
    return rows.order_by(column(RECORD))


def part_column(table: Table) -> str:
    """What the column with the part is called: `part`, or so with lines below when the table has one."""
    name = "part"
    while name in {own.lower() for own, _ in table.columns}:
        name += "_"
    return name


def write_divided(division: Division, table: Table, target: Path, con: Connection) -> Report:
    """Write the divided table with all its columns as Parquet, and tell how it is divided. Raises RunError for a column that the table
    lacks by now.
    """
    _need_columns(division, table)
    con.execute(sql(copy_to(divided(division, table), target, format="parquet")))
    file, part = read_parquet([target]), part_column(table)
    rows = dict(
        con.execute(sql(exp.select(column(part), "count(*)").from_(file.copy()).group_by(column(part)))).fetchall()
    )
    return Report(
        parts=tuple(
            PartCount(name=each.name, records=rows.get(each.name, 0), share=each.share) for each in division.shares
        ),
        without=rows.get(None, 0),
        strata=_stratum_counts(division, table, file, con),
        watched=tuple(_watched(division, table, name, file, con) for name in _to_watch(division)),
        alike=_alike(division, table, file, con),
    )


def rows_of(division: Division, table: Table, file: Path, part: str = "") -> exp.Select:
    """The records of a written division without the columns left out: those of a part, or all with their part as the last column."""
    cells = [column(name) for name, _ in table.columns if name not in division.left_out]
    told = column(part_column(table))
    rows = exp.select(*cells).from_(read_parquet([file])).order_by(column(RECORD))
    return rows.where(exp.EQ(this=told, expression=exp.Literal.string(part))) if part else rows.select(told)


def _to_watch(division: Division) -> list[str]:
    """The watched columns; a group or a time is watched anyway."""
    return [name for name in dict.fromkeys([division.column, *division.watched]) if name]


def _stratum_counts(division: Division, table: Table, file: exp.Expr, con: Connection) -> tuple[StratumCount, ...]:
    if not division.stratum:
        return ()
    part = column(part_column(table))
    counts = [template("count(*) FILTER (:p = :name)", p=part, name=each.name) for each in division.shares]
    query = exp.select(table.text(division.stratum).as_("value"), *counts).from_(file.copy()).group_by("1")
    rows = con.execute(sql(query.order_by("count(*) DESC", "value"))).fetchall()
    return tuple(StratumCount(value=row[0], records=tuple(row[1:])) for row in rows)


def _watched(division: Division, table: Table, name: str, file: exp.Expr, con: Connection) -> Watched:
    part, kind = column(part_column(table)), dict(table.columns)[name]
    grouped = template(
        "SELECT count(*) AS n, count(DISTINCT :p) AS parts FROM :file WHERE :p IS NOT NULL AND :v IS NOT NULL GROUP BY :v",
        p=part, v=column(name), file=file,
    )  # fmt: skip
    assert isinstance(grouped, exp.Select)
    counted = (
        exp.select("count(*)", "coalesce(sum(n), 0)").from_(grouped.subquery("values_in_parts")).where("parts > 1")
    )
    values, records = con.execute(sql(counted)).fetchone() or (0, 0)
    ranges: tuple[tuple[str | None, str | None], ...] = ()
    if kind in (*NUMBERS, *_TIMES):
        cells = [
            written(template(f"{edge}(:v) FILTER (:p = :name)", v=column(name), p=part, name=each.name), kind)
            for each in division.shares
            for edge in ("min", "max")
        ]
        row = con.execute(sql(exp.select(*cells).from_(file.copy()))).fetchone() or ()
        ranges = tuple(zip(row[::2], row[1::2], strict=True))
    return Watched(name=name, values=int(values), records=int(records), ranges=ranges)


def _alike(division: Division, table: Table, file: exp.Expr, con: Connection) -> int:
    apart = {*division.key, division.column, *division.left_out}
    cells = [_roughly(table, name, kind) for name, kind in table.columns if name not in apart]
    if not cells:
        return 0
    part, first = column(part_column(table)), division.shares[0].name
    grouped = (
        exp.select(template("count(*) FILTER (:p = :first)", p=part, first=first).as_("firsts"))
        .select(template("count(*) FILTER (:p <> :first)", p=part, first=first).as_("others"))
        .from_(file.copy())
        .group_by(template("md5_number(:told)", told=_told("", cells)))
    )
    query = exp.select("coalesce(sum(others), 0)").from_(grouped.subquery("alike")).where("firsts > 0")
    counted = con.execute(sql(query)).fetchone()
    return int(counted[0]) if counted else 0


def _roughly(table: Table, name: str, kind: DataType) -> exp.Expr:
    """A cell as text without what hides that two records are the same: letter case, outer spaces, the fourth digit."""
    if kind is DataType.TEXT:
        return template("lower(trim(:v))", v=column(name))
    if kind in NUMBERS:
        return template("printf('%.2e', CAST(:v AS DOUBLE))", v=column(name))
    return table.text(name)


def _need_columns(division: Division, table: Table) -> None:
    known = dict(table.columns)
    named = [*division.key, division.column, division.stratum, *division.watched]
    if lacking := [name for name in named if name and name not in known]:
        raise RunError(f"The released table has no column {lacking[0]!r}.", column=lacking[0])
    if division.way == "time" and known[division.column] not in _TIMES:
        raise RunError(
            f"{division.column!r} holds {known[division.column].value}, no dates, so nothing can be before or after.",
            column=division.column, advice="Turn it into a date with a rule, or take another column.",
        )  # fmt: skip
    if all(name in division.left_out for name in known):
        raise RunError("All columns are left out, so nothing would be in the parts.")


def place_of(seed: str, values: Sequence[exp.Expr]) -> exp.Expr:
    """Where a record lies, from 0 to 2^52 - 1: told by the seed and values as text."""
    return template("CAST('0x' || substr(sha256(:told), 1, 13) AS BIGINT)", told=_told(seed, values))


def _told(seed: str, values: Sequence[exp.Expr]) -> exp.Expr:
    """The seed and values as one text, each after a mark."""
    texts = [exp.func("coalesce", value.copy(), _MISSING.copy()) for value in values]
    return exp.func("concat_ws", _BETWEEN.copy(), exp.Literal.string(seed), *texts)


def _part(division: Division, table: Table) -> exp.Expr:
    names = [each.name for each in division.shares]
    if division.way == "time":
        kind = "DATE" if dict(table.columns)[division.column] is DataType.DATE else "TIMESTAMP"
        limits = [exp.cast(exp.Literal.string(moment), kind) for moment in division.moments]
        return _case(column(division.column), limits, names)
    if division.way == "groups":
        group = column(division.column)
        place = place_of(division.seed, [table.text(division.column)])
        return template("CASE WHEN :g IS NOT NULL THEN :p END", g=group, p=_case(place, _nominal(division), names))
    place = place_of(division.seed, [table.text(name) for name in division.key])
    cuts = _nominal(division)
    if division.strata:
        named = zip(_cut_names(division), cuts, strict=True)
        cuts = [template(f"coalesce(strata.{name}, :c)", c=cut) for name, cut in named]
    return _case(place, cuts, names)


def _case(value: exp.Expr, cuts: Sequence[exp.Expr], names: Sequence[str]) -> exp.Expr:
    """The name of the part: the first whose end lies above a value; missing where the value is."""
    case = exp.Case().when(exp.Is(this=value.copy(), expression=exp.null()), exp.null())
    for cut, name in zip(cuts, names, strict=False):
        case = case.when(exp.LT(this=value.copy(), expression=cut), exp.Literal.string(name))
    return case.else_(exp.Literal.string(names[-1]))


def _nominal(division: Division) -> list[exp.Expr]:
    return [exp.convert(int(share * TOP)) for share in division.up_to]


def _cut_names(division: Division) -> list[str]:
    return [f"__cut{at}" for at in range(len(division.shares) - 1)]


def _strata(division: Division, table: Table, con: Connection) -> tuple[StratumCuts, ...]:
    """The cuts of each stratum at whole records. What a share leaves over is rounded by a hash of the stratum, so that many small
    strata together keep the shares.
    """
    stratum = table.text(division.stratum)
    counted = con.execute(
        sql(exp.select(template("count(DISTINCT :s)", s=stratum)).from_(table.source.copy()))
    ).fetchone()
    if counted and counted[0] > MOST_STRATA:
        raise RunError(
            f"{division.stratum!r} has {counted[0]:,} distinct values; a stratum has to hold many records.",
            column=division.stratum, advice=f"Take a column with at most {MOST_STRATA:,} values.",
        )  # fmt: skip
    place = place_of(division.seed, [table.text(name) for name in division.key])
    rows = exp.select(stratum.as_("value"), place.as_("place")).from_(table.source.copy())
    shift = place_of(division.seed, [exp.column("value")])
    cut = "coalesce(min(place) FILTER (at = CAST(floor(records * :share + shift) AS BIGINT) + 1), :top)"
    cuts = [
        exp.alias_(template(cut, share=share, top=TOP), name)
        for share, name in zip(division.up_to, _cut_names(division), strict=True)
    ]
    ranked = template(
        "SELECT value, place, row_number() OVER (PARTITION BY value ORDER BY place) AS at,"
        " count(*) OVER (PARTITION BY value) AS records, :shift / :top AS shift FROM :rows",
        shift=exp.cast(shift, "DOUBLE"),
        top=float(TOP),
        rows=rows.subquery("placed"),
    )
    assert isinstance(ranked, exp.Select)
    query = exp.select("value", *cuts).from_(ranked.subquery("ranked")).group_by("value").order_by("value")
    return tuple(
        StratumCuts(value=row[0], cuts=tuple(int(cut) for cut in row[1:])) for row in con.execute(sql(query)).fetchall()
    )


def _moments(division: Division, table: Table, con: Connection) -> tuple[str, ...]:
    """The times at which each further part begins: those that divide the records nearest to the shares; a time is never divided."""
    time, kind = column(division.column), dict(table.columns)[division.column]
    counts = template(
        "SELECT moment, sum(n) OVER (ORDER BY moment) - n AS earlier, sum(n) OVER () AS everything FROM"
        " (SELECT :t AS moment, count(*) AS n FROM :rows WHERE :t IS NOT NULL GROUP BY 1) AS times",
        t=time,
        rows=table.source.copy(),
    )
    assert isinstance(counts, exp.Select)
    moments = []
    for share in division.up_to:
        query = (
            exp.select(written(column("moment"), kind))
            .from_(counts.subquery("counts"))
            .where("earlier > 0")
            .order_by(template("abs(earlier - everything * :share)", share=share), "moment")
            .limit(1)
        )
        row = con.execute(sql(query)).fetchone()
        moments.append(str(row[0]) if row else "")
    if "" in moments or sorted(set(moments)) != moments:
        raise RunError(
            f"{division.column!r} has too few distinct times for these shares: a part would hold nothing.",
            column=division.column, advice="Take fewer parts, or a column with more times.",
        )  # fmt: skip
    return tuple(moments)
