"""What a finding is, and how one is made."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlglot import exp

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.model import ColumnProfile, Evidence, Finding, Severity
from pravin_core.records.filters import Filter, make_filter
from pravin_core.rules.base import AcrossCheck, Check, ColumnCorrection, RecordsCheck, as_text
from pravin_core.rules.registry import KINDS
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

Rule = dict[str, Any]
SHOWN = 12
LISTED = 500  # so many values may a filter list
RECORDS = 2000  # so many records may a filter list

__all__ = ["Evidence", "Finding", "Kind", "Severity"]


@dataclass(frozen=True)
class Kind:
    """A kind of finding: its name, and how it is judged (with the source of a named method)."""

    name: str
    method: str


def make(
    kind: Kind,
    columns: Sequence[str],
    severity: Severity,
    count: int,
    records: int,
    says: str,
    *,
    evidence: Sequence[Evidence] = (),
    filters: Sequence[Filter] = (),
    rule: Rule | None = None,
    effect: int | None = None,
    detail: str = "",
    opens: int | None = None,
) -> Finding:
    """A finding; its id stays the same in the next delivery for the same kind, columns and `detail`."""
    key = "\x1f".join((kind.name, *columns, detail))
    return Finding(
        id=hashlib.sha256(key.encode()).hexdigest()[:12],
        kind=kind.name,
        columns=tuple(columns),
        severity=severity,
        count=count,
        share=count / records if records else 0.0,
        says=says,
        evidence=tuple(evidence[:SHOWN]),
        filters=tuple(filters),
        rule=rule,
        effect=effect,
        opens=None if opens == count else opens,
    )


def of_column(
    column_values: ColumnValues, kind: Kind, severity: Severity, count: int, says: str, **more: Any
) -> Finding:
    """A finding about the studied column; the effect of its rule is computed on all values, and so is what its filters open,
    unless `opened` says it.
    """
    rule = more.get("rule")
    if rule is not None and "effect" not in more:
        more["effect"] = effect_of(column_values, rule)
    opened = more.pop("opened", None)
    if opened is None:
        opened = opened_by(column_values, more.get("filters", ()))
    if opened is not None and opened != count:
        more["opens"] = opened
    return make(kind, [column_values.name], severity, count, column_values.records, says, **more)


def opened_by(column_values: ColumnValues, filters: Sequence[Filter], without: Sequence[str] = ()) -> int | None:
    """How many cells the filters of a finding about the column open, those of some kinds aside; None for filters that look at
    other records or columns.
    """
    if not filters or any(filter_.names() != {column_values.name} for filter_ in filters):
        return None
    if (conditions := _conditions(column_values.name, filters)) is None:
        return None
    of = _as_column(column_values.name, without)
    total = exp.select("CAST(coalesce(sum(__cells), 0) AS BIGINT)").from_(of).where(*conditions)
    return int(column_values.ask(sql(total))[0][0])


def values_behind(
    column_values: ColumnValues, column: ColumnProfile, filters: Sequence[Filter], findings: Sequence[Finding]
) -> tuple[list[tuple[str, int]], list[Filter]]:
    """The values that filters open and no other finding of the column explains, most frequent first, with the filters that
    open exactly these.
    """
    explained = [
        finding.filters[0] if len(finding.filters) == 1 else make_filter("all of", of=finding.filters)
        for finding in findings
        if finding.filters and finding.kind not in _EXPLAINS_NOTHING
        and all(filter_.names() == {column.name} for filter_ in finding.filters)
    ]  # fmt: skip
    door = [*filters, *([make_filter("none of", of=tuple(explained))] if explained else [])]
    if (conditions := _conditions(column.name, door)) is None:
        return [], door
    query = exp.select("__value", "__cells").from_(_as_column(column.name)).where(*conditions).where("__value <> ''")
    return [(value, n) for value, n in column_values.ask(sql(query.order_by("__cells DESC", "__value")))], door


def _conditions(name: str, filters: Sequence[Filter]) -> list[exp.Expr] | None:
    """The conditions of filters on a column; None where one looks at other records, which distinct values cannot answer."""
    conditions = [filter_.condition({name: DataType.TEXT}, {}) for filter_ in filters]
    return None if any(condition.find(exp.Window) for condition in conditions) else conditions


def _as_column(name: str, without: Sequence[str] = ()) -> exp.Expr:
    """The distinct values, those of some kinds aside, under the name of their column, so that filters can be asked of them."""
    cell = exp.alias_(exp.column("value"), name, quoted=True)
    own = (exp.alias_(exp.column("value"), "__value"), exp.alias_(exp.column("n"), "__cells"))
    values = exp.select(cell, *own).from_("column_values")
    if without:
        values = values.where(
            exp.not_(exp.In(this=exp.column("kind"), expressions=[exp.Literal.string(kind) for kind in without]))
        )
    return values.subquery("v")


_EXPLAINS_NOTHING = (
    "missing",
    "personal data",
    "broken key",
    "unusual length",
    "rare categories",
    "outliers",
    "key candidate",
)


def effect_of(column_values: ColumnValues, rule: Rule) -> int | None:
    """How many cells of the studied column a rule would change, or how many break it; None for record rules."""
    proposed = KINDS[rule["kind"]](id="proposed", **{k: v for k, v in rule.items() if k != "kind"})
    of, cell = Column(column_values.name), template("nullif(:v, '')", v=column("value"))
    if isinstance(proposed, ColumnCorrection):
        done = proposed.correct(cell, of)
        new = done.written or as_text(done.value, done.type)
        touched = template(":new IS DISTINCT FROM :old", new=exp.paren(new), old=cell)
    elif isinstance(proposed, Check) and not isinstance(proposed, AcrossCheck | RecordsCheck):
        touched = proposed.breaks(cell, of)
    else:
        return None
    query = exp.select(template("CAST(coalesce(sum(n) FILTER (WHERE :t), 0) AS BIGINT)", t=touched)).from_(
        "column_values"
    )
    return int(column_values.ask(sql(query))[0][0])


def numbers_only(column_values: ColumnValues, door: Filter) -> list[Filter]:
    """A filter on the numbers of a column, without cells that the filter reads otherwise than the column: where numbers are
    written with a point, 1,707 is no 1.7.
    """
    if column_values.decimal_mark == "," or not column_values.kinds.get("decimal comma"):
        return [door]
    comma = make_filter("column", name=column_values.name, test="reads as", value="decimal comma")
    return [door, make_filter("none of", of=(comma,))]


def those(name: str, values: Sequence[str]) -> tuple[Filter, ...]:
    """The filter of the records that hold one of the values (at most 500 are listed)."""
    if len(values) == 1:
        return (make_filter("column", name=name, test="is", value=values[0]),)
    return (make_filter("column", name=name, test="one of", values=tuple(values[:LISTED])),)


def for_python(pattern: str) -> str:
    """A pattern of the engine's with its characters by number (`\\x{00A0}`) written out, as Python reads it."""
    return re.sub(r"\\x\{([0-9A-Fa-f]+)\}", lambda match: chr(int(match[1], 16)), pattern)


def matching(name: str, pattern: str) -> tuple[Filter, ...]:
    """The filter of the records whose cell matches a pattern."""
    return (make_filter("column", name=name, test="matches", value=pattern),)


def these_records(numbers: Sequence[int]) -> dict[str, Any]:
    """The parts of a finding that open records by their numbers: the first 2,000, and how many these are."""
    opened = sorted(numbers)[:RECORDS]
    return {"filters": [make_filter("records", values=tuple(str(n) for n in opened))], "opens": len(opened)}


def cells(count: int) -> str:
    """A count of cells in words."""
    return f"{count:,} cell" if count == 1 else f"{count:,} cells"


def some_records(count: int) -> str:
    """A count of records in words."""
    return f"{count:,} record" if count == 1 else f"{count:,} records"


def listed(values: Sequence[str], most: int = 4) -> str:
    """The first values in quotation marks."""
    shown = ", ".join(f"“{value}”" for value in values[:most])
    return f"{shown} and {len(values) - most:,} more" if len(values) > most else shown


def translation(name: str, codes: dict[str, str]) -> Rule | None:
    """A proposed rule that translates values; None when there are none, or too many for a code list."""
    if not 0 < len(codes) <= 20_000:
        return None
    return {
        "kind": "translate",
        "columns": [name],
        "codes": [{"code": code, "meaning": meaning} for code, meaning in codes.items()],
    }


def as_values(texts: Sequence[str]) -> exp.Expr:
    """Some texts as a table of one column, `value`."""
    listed = exp.Array(expressions=[exp.Literal.string(text) for text in texts])
    return exp.select(exp.alias_(template("unnest(:v)", v=listed), "value")).subquery("v")
