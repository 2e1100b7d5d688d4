"""Distributions of several columns at once, each narrowed by what is chosen in the others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, time, timedelta
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator
from sqlglot import exp

from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.engines.kinds import double_of, moment_of, shape_of
from pravin_core.errors import RunError
from pravin_core.profiling.model import ColumnProfile, DateStatistics, NumberStatistics
from pravin_core.records.filters import AnyFilter, Filter, is_moment, is_number, kept
from pravin_core.records.pages import Stage
from pravin_core.sql.statements import read_parquet, temporary_table
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables.types import NUMBERS, DataType

BARS = 30
LISTED = 200
LEVELS = 5
OTHERS = "other values"


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Panel(_Part):
    """A column to look at: `show` its bars (numbers and dates), its values or its shapes; `chosen` narrows the others.

    `low` and `high` are the ends of the bars where not all of the column is looked at (numbers, or ISO dates).
    """

    name: str = Field(max_length=2000)
    show: Literal["bars", "values", "shapes"] = "values"
    search: str = Field(default="", max_length=200)
    order: Literal["most", "value"] = "most"
    chosen: AnyFilter | None = None
    low: str = Field(default="", max_length=40)
    high: str = Field(default="", max_length=40)

    @field_validator("low", "high")
    @classmethod
    def _an_end(cls, text: str) -> str:
        if text and not (is_number(text) or is_moment(text)):
            raise ValueError(f"“{text}” is not the edge of a bar: it must be a number or a date such as 2024-03-17")
        return text


class Bar(_Part):
    """A bar or a value: the range of a bar (of numbers without its upper end; of dates whole days), its cells in the whole table, those that fit what is chosen elsewhere, and these by level."""

    label: str
    low: str = ""
    high: str = ""
    every: int
    now: int
    levels: tuple[int, ...] = ()


class Shown(_Part):
    """A panel filled: `of` is numbers, dates, values or shapes; `more` values are not listed, `aside` cells are in no bar."""

    name: str
    of: str
    bars: tuple[Bar, ...]
    more: int = 0
    aside: int = 0


class CrossFilter(_Part):
    """`fitting` of `records` records fit everything chosen; `levels` are the values of the column that splits."""

    records: int
    fitting: int
    levels: tuple[str, ...]
    panels: tuple[Shown, ...]


def look(
    stage: Stage,
    profiles: Sequence[ColumnProfile],
    panels: Sequence[Panel],
    where: Sequence[Filter],
    split: str,
    scratch: Path,
    limits: Limits = Limits(),
) -> CrossFilter:
    """Fill panels over all records that fit `where`; with `split` each bar by the values of that column.

    Raises RunError when a column is not there.
    """
    types, known = stage.types, {profile.name: profile for profile in profiles}
    chosen = [*where, *(panel.chosen for panel in panels if panel.chosen)]
    asked = (
        [panel.name for panel in panels]
        + [name for each_filter in chosen for name in each_filter.names()]
        + ([split] if split else [])
    )
    if stage.result is None and any(each_filter.needs_run() for each_filter in chosen):
        raise RunError("A choice asks for what only a run can tell.", advice="Run the rulebook first, or remove it.")
    for name in asked:
        if name not in types:
            raise RunError(f"There is no column {name!r}.", column=name, advice="Choose another column.")
    with connect(stage.folders, scratch, limits) as con:
        if any(filter_.uses_operations() for filter_ in chosen):
            know_operations(con)
        looking = _Looking(con, stage, where, split)
        looking.lay_out(panels, [_scale(panel, known.get(panel.name), types) for panel in panels], stage)
        shown = [looking.fill(at, panel) for at, panel in enumerate(panels)]
        records, fitting = looking.counts()
    return CrossFilter(records=records, fitting=fitting, levels=looking.levels, panels=tuple(shown))


@dataclass(frozen=True)
class _Scale:
    """Where the cells of a panel belong: `place` is the number of a bar, or the value or shape where there are none."""

    of: str
    place: exp.Expr
    lows: Sequence[str] = ()
    highs: Sequence[str] = ()


class _Looking:
    """One pass over the records keeps the place of each in every panel and whether it fits each choice (`looked`);
    the panels are counted from that."""

    def __init__(self, con: Connection, stage: Stage, where: Sequence[Filter], split: str) -> None:
        self.con, self.types = con, stage.types
        conditions = [filter_.condition(stage.types, stage.rules) for filter_ in where]
        self.source = kept(exp.select("*").from_(read_parquet(stage.files)), conditions).subquery("source")
        self.scales: list[_Scale] = []
        self.levels: tuple[str, ...] = ()
        self.level: exp.Expr = exp.Literal.number(0)
        if split:
            text = _text(split, self.types)
            often = exp.select(exp.alias_(text, "v")).from_(self.source.copy()).group_by("v")
            self.levels = tuple(row[0] for row in self._rows(often.order_by("count(*) DESC", "v").limit(LEVELS)))
            listed = exp.Array(expressions=[exp.Literal.string(level) for level in self.levels])
            self.level = template("coalesce(list_position(:l, :t), 0)", l=listed, t=text)

    def lay_out(self, panels: Sequence[Panel], scales: Sequence[_Scale], stage: Stage) -> None:
        """Make the table `looked`: places p0, p1, ..., fits f0, f1, ... and the level."""
        self.scales = list(scales)
        places = [exp.alias_(scale.place, f"p{at}") for at, scale in enumerate(scales)]
        fits = [
            exp.alias_(panel.chosen.condition(stage.types, stage.rules) if panel.chosen else exp.true(), f"f{at}")
            for at, panel in enumerate(panels)
        ]
        query = exp.select(*places, *fits, exp.alias_(self.level, "level")).from_(self.source.copy())
        self.con.execute(sql(temporary_table("looked", query)))

    def counts(self) -> tuple[int, int]:
        """All records looked at, and those that fit everything chosen."""
        row = self._rows(exp.select("count(*)", template("count_if(:f)", f=self._fits())).from_("looked"))[0]
        return int(row[0]), int(row[1] or 0)  # of no records the engine counts nothing, not 0

    def fill(self, at: int, panel: Panel) -> Shown:
        """One panel, narrowed by what is chosen in the others."""
        scale = self.scales[at]
        counted = self._counted(at)
        return self._bars(panel, scale, counted) if scale.lows else self._values(panel, scale, counted)

    def _fits(self, but: int | None = None) -> exp.Expr:
        return exp.and_(exp.true(), *(column(f"f{at}") for at in range(len(self.scales)) if at != but))

    def _rows(self, query: exp.Select) -> list[tuple[Any, ...]]:
        return self.con.execute(sql(query)).fetchall()

    def _counted(self, at: int) -> exp.Select:
        """key, all cells, those that fit, and of these each level's (the other values last)."""
        others = self._fits(but=at)
        levels = [
            template("count_if(:o AND level = :n)", o=exp.paren(others), n=exp.Literal.number(n))
            for n in (*range(1, len(self.levels) + 1), 0)
        ] if self.levels else []  # fmt: skip
        counts = [
            exp.alias_(template("count_if(:o)", o=others), "now"),
            exp.alias_(exp.Array(expressions=levels), "levels"),
        ]
        key = exp.alias_(column(f"p{at}"), "key")
        return exp.select(key, "count(*) AS every", *counts).from_("looked").group_by("key")

    def _values(self, panel: Panel, scale: _Scale, counted: exp.Select) -> Shown:
        query = exp.select("key", "every", "now", "levels", "count(*) OVER ()").from_(counted.subquery("counted"))
        if panel.search:
            query = query.where(template("contains(lower(key), lower(:s))", s=exp.Literal.string(panel.search)))
        order = ("now DESC", "every DESC", "key") if panel.order == "most" else ("key",)
        rows = self._rows(query.order_by(*order).limit(LISTED))
        bars = tuple(
            Bar(label=str(key)[:2000], every=every, now=now, levels=tuple(levels))
            for key, every, now, levels, _ in rows
        )
        more = int(rows[0][4]) - len(rows) if rows else 0
        return Shown(name=panel.name, of=scale.of, bars=bars, more=more)

    def _bars(self, panel: Panel, scale: _Scale, counted: exp.Select) -> Shown:
        rows = {row[0]: row[1:] for row in self._rows(counted)}
        none = (0, 0, [0] * (len(self.levels) + 1 if self.levels else 0))
        bars = []
        for at, (low, high) in enumerate(zip(scale.lows, scale.highs, strict=True)):
            every, now, levels = rows.get(at, none)
            label = low if low == high else f"{low} to {high}"
            bars.append(Bar(label=label, low=low, high=high, every=every, now=now, levels=tuple(levels)))
        return Shown(name=panel.name, of=scale.of, bars=tuple(bars), aside=int(rows.get(None, none)[0]))


def _text(name: str, types: dict[str, DataType]) -> exp.Expr:
    return template("coalesce(:c, '')", c=written(column(name), types[name]))


def _scale(panel: Panel, profile: ColumnProfile | None, types: dict[str, DataType]) -> _Scale:
    text = _text(panel.name, types)
    if panel.show == "bars" and profile:
        if profile.type in NUMBERS and profile.numbers:
            return _of_numbers(panel, profile.numbers, text, whole=profile.type is DataType.WHOLE)
        if profile.type in (DataType.DATE, DataType.DATETIME) and profile.dates:
            return _of_dates(panel, profile.dates, text, types[panel.name])
    if panel.show == "shapes":
        return _Scale("shapes", template("CASE WHEN :t = '' THEN '' ELSE :s END", t=text, s=shape_of(text)))
    return _Scale("values", text)


def _of_numbers(panel: Panel, numbers: NumberStatistics, text: exp.Expr, whole: bool) -> _Scale:
    low = float(panel.low) if panel.low else numbers.minimum
    high = float(panel.high) if panel.high else numbers.maximum
    edges = round_edges(low, high, whole=whole)
    return _Scale("numbers", _place(double_of(text), [float(edge) for edge in edges]), edges[:-1], edges[1:])


def _of_dates(panel: Panel, dates: DateStatistics, text: exp.Expr, data_type: DataType) -> _Scale:
    first, last = panel.low or dates.first, panel.high or dates.last
    parsed = moment_of(text, [form.value for form in dates.formats])
    if data_type is not DataType.TEXT:
        parsed = exp.TryCast(this=column(panel.name), to=exp.DataType.build("TIMESTAMP"))
    begin = datetime.combine(datetime.fromisoformat(first), time.min)
    days = (datetime.fromisoformat(last) - begin).days + 1
    step = timedelta(days=-(-days // BARS))
    bars = -(-days // step.days)
    lows = [f"{begin + at * step:%Y-%m-%d}" for at in range(bars)]
    highs = [f"{begin + (at + 1) * step - timedelta(days=1):%Y-%m-%d}" for at in range(bars)]
    origin = (begin - datetime(1970, 1, 1)).total_seconds()
    edges = [origin + at * step.total_seconds() for at in range(bars + 1)]
    return _Scale("dates", _place(template("epoch(:m)", m=parsed), edges), lows, highs)


def _place(value: exp.Expr, edges: Sequence[float]) -> exp.Expr:
    """The number of the bar between two edges, the upper one not included; NULL outside.

    It is guessed from the width and set right by the edges as they are written, so that the records of a bar are
    those of the filter that it stands for.
    """
    ends = exp.Array(expressions=[_double(edge) for edge in edges])
    guess = template(
        "least(greatest(floor(:v / :w - :low / :w)::INT, 0), :most)",
        v=value, low=_double(edges[0]), w=_double((edges[-1] - edges[0]) / (len(edges) - 1)),
        most=exp.Literal.number(len(edges) - 2),
    )  # fmt: skip
    return template(
        "CASE WHEN :v >= :low AND :v < :high THEN :g + CASE WHEN :v < list_extract(:ends, :g + 1) THEN -1 "
        "WHEN :v >= list_extract(:ends, :g + 2) THEN 1 ELSE 0 END END",
        v=value, low=_double(edges[0]), high=_double(edges[-1]), g=exp.paren(guess), ends=ends,
    )  # fmt: skip


def _double(number: float) -> exp.Expr:
    return exp.cast(exp.Literal.string(repr(float(number))), "DOUBLE")


def round_edges(low: float, high: float, whole: bool = False) -> list[str]:
    """The edges of at most 30 or so bars of a round width (1, 2, 2.5 or 5 times a power of ten), as decimal text.

    The first is not above `low`, the last above `high`.
    """
    least, most = Decimal(repr(low)), Decimal(repr(high))
    raw = (most - least) / BARS
    if raw <= 0:
        raw = abs(least) / 1000 or Decimal(1)
    power = Decimal(1).scaleb(raw.adjusted())
    steps = (step * power for step in (Decimal(1), Decimal(2), Decimal("2.5"), Decimal(5), Decimal(10)))
    step = next(step for step in steps if step >= raw)
    if whole:
        step = max(Decimal(1), step.to_integral_value(ROUND_CEILING))
    first = (least / step).to_integral_value(ROUND_FLOOR)
    last = (most / step).to_integral_value(ROUND_FLOOR) + 1
    return [_plain((first + at) * step) for at in range(int(last - first) + 1)]


def _plain(number: Decimal) -> str:
    shown = f"{number.normalize():f}"
    return shown if len(shown) <= 20 else f"{number.normalize()}"
