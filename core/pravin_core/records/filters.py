"""Filters: each a small condition that can be said in words and put in an address."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from datetime import datetime
from typing import Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator
from sqlglot import exp

from pravin_core.engines.kinds import INVISIBLE, OUTER_SPACES, is_numeric, kind_of, moment_of, shape_of
from pravin_core.rules.patterns import checked
from pravin_core.sql.trees import column, joined, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD
from pravin_core.tables.dates import pattern
from pravin_core.tables.types import NUMBERS, SQL_TYPES, DataType

Test = Literal[
    "is", "is not", "contains", "missing", "filled", "above", "below", "shape", "reads as", "does not read as",
    "outer spaces", "invisible marks", "one of", "matches", "between", "within", "dated", "longer", "shorter", "repeated",
]  # fmt: skip


class Filter(BaseModel):
    """One condition. `on` says of what: a column, the state, a rule's effect, the record number or several of them,
    records that occur more than once (in the columns `values`, or in all), or a combination of the filters `of`.

    "dated" takes formats divided by | as `value` and two ISO dates as `values`; "between" two numbers, both included, "within" without the upper one.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    on: Literal[
        "column", "state", "rule", "record", "text", "any missing", "records", "repeated", "all of", "any of", "none of"
    ]
    name: str = Field(default="", max_length=2000)
    test: Test = "is"
    value: str = Field(default="", max_length=2000)
    values: tuple[str, ...] = Field(default=(), max_length=2000)
    of: tuple[Filter, ...] = Field(default=(), max_length=200)

    @model_validator(mode="after")
    def _can_be_asked(self) -> Self:
        """What the engine could not answer is refused where the filter is made, in words for whoever made it."""
        if self.on == "column" and not self.name:
            raise ValueError("a filter on a column names the column")
        if self.on in ("rule", "record") and not _is_whole(self.value):
            raise ValueError(f"a filter on a {self.on} needs its number; “{self.value[:60]}” is not one")
        if (
            self.on == "records"
            and (wrong := next((one for one in self.values if not _is_whole(one)), None)) is not None
        ):
            raise ValueError(f"records are named by their numbers; “{wrong[:60]}” is not one")
        if self.on == "state" and (other := set(self.value.split(",")) - set(STATES)):
            raise ValueError(f"there is no state “{min(other)[:60]}”; there are {', '.join(STATES)}")
        if depth(self) > DEEPEST:
            raise ValueError(f"filters are nested more than {DEEPEST} deep")
        if self.on == "column":
            _look_at_test(self)
        return self

    def needs_run(self) -> bool:
        """Whether it asks for what only a run can tell: states and what rules did."""
        return self.on in ("state", "rule") or any(one.needs_run() for one in self.of)

    def names(self) -> set[str]:
        """The columns it names."""
        own = {self.name} if self.on == "column" else set(self.values) if self.on == "repeated" else set()
        return own.union(*(one.names() for one in self.of))


STATES = ("ready", "corrected", "quarantined", "removed")
DEEPEST = 8


def depth(wanted: Filter) -> int:
    """How deep filters are nested; 1 for a plain one."""
    return 1 + max((depth(one) for one in wanted.of), default=0)


def _is_whole(text: str) -> bool:
    return re.fullmatch(r"\d{1,18}", text) is not None


def is_number(text: str) -> bool:
    """Whether a text is a finite number."""
    try:
        return math.isfinite(float(text))
    except ValueError:
        return False


def is_moment(text: str) -> bool:
    """Whether a text is an ISO date, with or without a time."""
    try:
        datetime.fromisoformat(text)
    except ValueError:
        return False
    return True


def _look_at_test(wanted: Filter) -> None:
    """Raises ValueError when the values of a filter on a column do not fit its test."""
    test, value, values = wanted.test, wanted.value, wanted.values
    if test in ("above", "below") and not (is_number(value) or is_moment(value)):
        raise ValueError(f"“{test}” needs a number or a date such as 2024-03-17; “{value[:60]}” is neither")
    if test in ("longer", "shorter") and not _is_whole(value):
        raise ValueError(f"“{test}” needs a number of characters; “{value[:60]}” is not one")
    if test in ("between", "within"):
        kinds = (all(map(is_number, values)), all(map(is_moment, values)))
        if len(values) != 2 or not any(kinds):
            raise ValueError(f"“{test}” needs two numbers or two dates, the lower and the higher one")
    if test == "dated":
        if len(values) != 2 or not all(map(is_moment, values)):
            raise ValueError("“dated” needs two dates such as 2024-03-17, the earlier and the later one")
        for one in value.split("|"):
            pattern(one)  # raises ValueError for a code that is not supported
    if test == "matches":
        checked(value)


def condition(wanted: Filter, types: dict[str, DataType], rules: dict[int, str]) -> exp.Expr:
    """The condition of a filter. `rules` maps the number of each active rule to column, record, check, tracing or table."""
    if wanted.on == "state":
        states = [exp.Literal.string(state) for state in wanted.value.split(",")]
        return exp.In(this=column(names.STATE), expressions=states)
    if wanted.on == "rule":
        return _touched(int(wanted.value), rules)
    if wanted.on == "record":
        return template(":r = :n", r=column(RECORD), n=exp.Literal.number(int(wanted.value)))
    if wanted.on in _JOINED:
        parts = [exp.paren(condition(one, types, rules)) for one in wanted.of] or [exp.true()]
        both = _JOINED[wanted.on](*parts)
        return exp.not_(exp.paren(both)) if wanted.on == "none of" else both
    if wanted.on == "records":
        return exp.In(this=column(RECORD), expressions=[exp.Literal.number(int(number)) for number in wanted.values])
    if wanted.on == "repeated":
        return _repeated(wanted, types)
    if wanted.on == "any missing":
        gaps = [
            template("CASE WHEN coalesce(:c, '') = '' THEN 1 END", c=written(column(n), t)) for n, t in types.items()
        ]
        return template(":gap IS NOT NULL", gap=exp.Coalesce(this=gaps[0], expressions=gaps[1:]))
    if wanted.on == "text":
        cells = [_contains(written(column(n), t), wanted.value) for n, t in types.items()]
        return template("coalesce(:any_of_them, false)", any_of_them=joined(exp.Or, cells))
    return _of_column(wanted, types[wanted.name])


def kept(query: exp.Select, conditions: Sequence[exp.Expr]) -> exp.Select:
    """A query with only the records that fit; conditions may look at other records (windows)."""
    if not conditions:
        return query
    if any(condition.find(exp.Window) for condition in conditions):
        looking = query.copy()
        looking.set("qualify", exp.Qualify(this=exp.and_(*conditions)))
        return looking
    return query.where(*conditions)


_JOINED = {"all of": exp.and_, "any of": exp.or_, "none of": exp.or_}


def _repeated(wanted: Filter, types: dict[str, DataType]) -> exp.Expr:
    """Records alike in the columns (all when none is named); "matches" leaves letter case and spaces aside."""
    cells = [template("coalesce(:c, '')", c=written(column(n), types[n])) for n in wanted.values or types]
    if wanted.test == "matches":
        cells = [template(r"lower(regexp_replace(:c, '[\s\p{Z}]', '', 'g'))", c=cell) for cell in cells]
    return template("count(*) OVER (PARTITION BY :key) > 1", key=exp.Anonymous(this="hash", expressions=cells))


def _touched(number: int, rules: dict[int, str]) -> exp.Expr:
    match rules.get(number):
        case "column":
            cells, lost = column(names.cells_changed(number)), column(names.cells_failed(number))
            return template("(:c > 0 OR :u > 0)", c=cells, u=lost)
        case "record":
            return template(":g = :n", g=column(names.GONE), n=exp.Literal.number(number))
        case "tracing":  # records that it removed or merged, and those that it made
            said = exp.Literal.number(number)
            return template(
                "(coalesce(:g = :n, false) OR coalesce(:a = :n, false))",
                g=column(names.GONE),
                a=column(names.ADDED),
                n=said,
            )
        case "check":
            return column(names.broken(number))
    return exp.false()


def _contains(cell: exp.Expr, value: str) -> exp.Expr:
    return template("contains(lower(:c), lower(:v))", c=cell, v=exp.Literal.string(value))


def _of_column(wanted: Filter, data_type: DataType) -> exp.Expr:
    cell = written(column(wanted.name), data_type)
    text = template("coalesce(:c, '')", c=cell)
    value = exp.Literal.string(wanted.value)
    match wanted.test:
        case "missing":
            return template(":t = ''", t=text)
        case "filled":
            return template(":t <> ''", t=text)
        case "is":
            return template(":t = :v", t=text, v=value)
        case "is not":
            return template(":t <> :v", t=text, v=value)
        case "contains":
            return _contains(text, wanted.value)
        case "one of":
            return exp.In(this=text, expressions=[exp.Literal.string(one) for one in wanted.values or ("",)])
        case "matches":
            return template("regexp_matches(:t, :p) AND :t <> ''", t=text, p=value)
        case "longer" | "shorter":
            sides = {"this": exp.Length(this=text), "expression": exp.Literal.number(int(wanted.value))}
            return exp.GT(**sides) if wanted.test == "longer" else exp.LT(**sides)
        case "repeated":
            return template("count(*) OVER (PARTITION BY :t) > 1 AND :t <> ''", t=text)
        case "dated":
            return _dated(text, wanted)
        case "outer spaces" | "invisible marks":
            marks = OUTER_SPACES if wanted.test == "outer spaces" else INVISIBLE
            return template("regexp_matches(:t, :p)", t=text, p=exp.Literal.string(marks))
        case "shape":
            return template(":s = :v AND :t <> ''", s=shape_of(text), v=value, t=text)
        case "reads as":
            return template(":k = :v", k=kind_of(text), v=value)
        case "does not read as":
            kinds = [exp.Literal.string(kind) for kind in (*wanted.value.split(","), "missing", "missing token")]
            return exp.not_(exp.In(this=kind_of(text), expressions=kinds))
    if wanted.test in ("between", "within"):
        low, high = (Filter(on="column", name=wanted.name, test="is", value=one) for one in wanted.values)
        under, over = (
            _of_column(one.model_copy(update={"test": test}), data_type)
            for one, test in ((low, "below"), (high, "above"))
        )
        is_number = exp.paren(is_numeric(text))
        if wanted.test == "within":
            beneath = _of_column(high.model_copy(update={"test": "below"}), data_type)
            return template(":n AND NOT :u AND :b", n=is_number, u=exp.paren(under), b=exp.paren(beneath))
        return template(":n AND NOT :u AND NOT :o", n=is_number, u=exp.paren(under), o=exp.paren(over))
    if data_type in NUMBERS:
        number: exp.Expr = column(wanted.name)
        kind = SQL_TYPES[DataType.EXACT] if data_type is DataType.EXACT else "DOUBLE"
        limit: exp.Expr = exp.TryCast(this=value.copy(), to=exp.DataType.build(kind, dialect="duckdb"))
    else:
        number = exp.TryCast(this=template("replace(trim(:t), ',', '.')", t=text), to=exp.DataType.build("DOUBLE"))
        limit = exp.TryCast(this=value, to=exp.DataType.build("DOUBLE"))
        if wanted.value[:4].isdigit() and wanted.value[4:5] == "-":
            number, limit = text, value  # ISO dates sort as text
    compare = exp.GT if wanted.test == "above" else exp.LT
    return template("coalesce(:c, false)", c=compare(this=number, expression=limit))


def _dated(text: exp.Expr, wanted: Filter) -> exp.Expr:
    low, high = (exp.cast(exp.Literal.string(bound), "TIMESTAMP") for bound in wanted.values)
    moment = moment_of(text, wanted.value.split("|"))
    return template("coalesce(:m BETWEEN :low AND :high, false)", m=moment, low=low, high=high)
