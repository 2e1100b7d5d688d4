"""Filters: each a small condition that can be said in words and put in an address."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlglot import exp

from pravin_core.compiler import names
from pravin_core.compiler.written import written
from pravin_core.engines.duckdb import column, template
from pravin_core.profiling.kinds import kind_of, shape_of
from pravin_core.profiling.metrics.texts import INVISIBLE, OUTER_SPACES
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import DataType

Test = Literal[
    "is", "is not", "contains", "missing", "filled", "above", "below", "shape", "reads as", "does not read as",
    "outer spaces", "invisible marks",
]  # fmt: skip


class Filter(BaseModel):
    """One condition. `on` says of what: a column, the state, a rule's effect, or the record number."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    on: Literal["column", "state", "rule", "record", "text", "any missing"]
    name: str = Field(default="", max_length=2000)
    test: Test = "is"
    value: str = Field(default="", max_length=2000)


def condition(wanted: Filter, types: dict[str, DataType], rules: dict[int, str]) -> exp.Expr:
    """The condition of a filter. `rules` maps the number of each active rule to column, record or check."""
    if wanted.on == "state":
        states = [exp.Literal.string(state) for state in wanted.value.split(",")]
        return exp.In(this=column(names.STATE), expressions=states)
    if wanted.on == "rule":
        return _touched(int(wanted.value), rules)
    if wanted.on == "record":
        return template(":r = :n", r=column(RECORD), n=exp.Literal.number(int(wanted.value)))
    if wanted.on == "any missing":
        gaps = [
            template("CASE WHEN coalesce(:c, '') = '' THEN 1 END", c=written(column(n), t)) for n, t in types.items()
        ]
        return template(":gap IS NOT NULL", gap=exp.Coalesce(this=gaps[0], expressions=gaps[1:]))
    if wanted.on == "text":
        cells = [template("coalesce(:c, '')", c=written(column(n), t)) for n, t in types.items()]
        return _contains(
            exp.Anonymous(this="concat_ws", expressions=[exp.Literal.string("\x1f"), *cells]), wanted.value
        )
    return _of_column(wanted, types[wanted.name])


def _touched(number: int, rules: dict[int, str]) -> exp.Expr:
    match rules.get(number):
        case "column":
            cells, lost = column(names.cells_changed(number)), column(names.cells_unconverted(number))
            return template("(:c > 0 OR :u > 0)", c=cells, u=lost)
        case "record":
            return template(":g = :n", g=column(names.GONE), n=exp.Literal.number(number))
        case "check":
            return column(names.breaks(number))
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
    if data_type in (DataType.WHOLE, DataType.DECIMAL):
        number: exp.Expr = column(wanted.name)
        limit: exp.Expr = exp.cast(exp.Literal.string(wanted.value), "DOUBLE")
    else:
        number = exp.TryCast(this=template("replace(trim(:t), ',', '.')", t=text), to=exp.DataType.build("DOUBLE"))
        limit = exp.TryCast(this=value, to=exp.DataType.build("DOUBLE"))
        if wanted.value[:4].isdigit() and wanted.value[4:5] == "-":
            number, limit = text, value  # ISO dates sort as text
    compare = exp.GT if wanted.test == "above" else exp.LT
    return template("coalesce(:c, false)", c=compare(this=number, expression=limit))
