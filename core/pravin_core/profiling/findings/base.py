"""What a finding is, and how one is made."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlglot import exp

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.model import Evidence, Finding, Severity
from pravin_core.records.filters import Filter, make_filter
from pravin_core.records.filters.column.one_of import ColumnOneOf
from pravin_core.rules.base import AcrossCheck, Check, ColumnCorrection, RecordsCheck, as_text
from pravin_core.rules.registry import KINDS
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables.columns import Column

Rule = dict[str, Any]
SHOWN = 12
LISTED = 500  # so many values may a filter list

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
    """A finding about the studied column; the effect of its rule is computed on all values."""
    rule = more.get("rule")
    if rule is not None and "effect" not in more:
        more["effect"] = effect_of(column_values, rule)
    if any(isinstance(filter_, ColumnOneOf) and len(filter_.values) == LISTED for filter_ in more.get("filters", ())):
        more["opens"] = _cells_listed(column_values, more["filters"])
    return make(kind, [column_values.name], severity, count, column_values.records, says, **more)


def _cells_listed(column_values: ColumnValues, filters: Sequence[Filter]) -> int | None:
    """How many cells the filters of a finding list: a filter holds no more than LISTED values."""
    values = [value for filter_ in filters if isinstance(filter_, ColumnOneOf) for value in filter_.values]
    listed = exp.In(this=column("value"), expressions=[exp.Literal.string(value) for value in values])
    total = exp.select("CAST(coalesce(sum(n), 0) AS BIGINT)").from_("column_values").where(listed)
    return int(column_values.ask(sql(total))[0][0])


def effect_of(column_values: ColumnValues, rule: Rule) -> int | None:
    """How many cells of the studied column a rule would change, or how many break it; None for record rules."""
    made = KINDS[rule["kind"]](id="proposed", **{k: v for k, v in rule.items() if k != "kind"})
    of, cell = Column(column_values.name), template("nullif(:v, '')", v=column("value"))
    if isinstance(made, ColumnCorrection):
        done = made.correct(cell, of)
        new = done.written or as_text(done.value)
        touched = template(":new IS DISTINCT FROM :old", new=exp.paren(new), old=cell)
    elif isinstance(made, Check) and not isinstance(made, AcrossCheck | RecordsCheck):
        touched = made.breaks(cell, of)
    else:
        return None
    query = exp.select(template("CAST(coalesce(sum(n) FILTER (WHERE :t), 0) AS BIGINT)", t=touched)).from_(
        "column_values"
    )
    return int(column_values.ask(sql(query))[0][0])


def those(name: str, values: Sequence[str]) -> tuple[Filter, ...]:
    """The filter of the records that hold one of the values (at most 500 are listed)."""
    if len(values) == 1:
        return (make_filter("column", name=name, test="is", value=values[0]),)
    return (make_filter("column", name=name, test="one of", values=tuple(values[:LISTED])),)


def matching(name: str, pattern: str) -> tuple[Filter, ...]:
    """The filter of the records whose cell matches a pattern."""
    return (make_filter("column", name=name, test="matches", value=pattern),)


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
