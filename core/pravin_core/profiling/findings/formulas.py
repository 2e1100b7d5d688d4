"""Formulas of proposed checks and doors: columns read in the forms in which they are written, findings whose door is one."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np

from pravin_core.profiling.findings.base import Finding, Kind, Severity, make, some_records
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import TableStudy
from pravin_core.records.filters import make_filter


def quoted(column: ColumnProfile) -> str:
    """The name of a column, whatever it holds."""
    return '"' + column.name.replace('"', '""') + '"'


def moment_of(column: ColumnProfile) -> str:
    """The date of a cell in the first form of its column that fits, with its time where the column has times."""
    forms = [form.value for form in column.dates.formats] if column.dates else []
    read = "to_moment" if any("%H" in form for form in forms) else "to_date"
    reads = [f"{read}({quoted(column)}, '{form}')" for form in forms]
    return reads[0] if len(reads) == 1 else f"coalesce({', '.join(reads)})"


def number_of(column: ColumnProfile) -> str:
    """The number of a cell, by the decimal mark of its column."""
    mark = ", ','" if column.decimal_mark == "," else ""
    return f"to_number({quoted(column)}{mark})"


def spread(cells: np.ndarray[Any, Any], few: int = 300) -> np.ndarray[Any, Any]:
    """At least `few` of a sample's cells (or all), at even distances: faults often come in runs."""
    return cells[:: max(1, len(cells) // few)]


def tolerance_of(table: TableStudy, name: str) -> float:
    """Half of the last decimal that most numbers of a column are written with, and a little for the arithmetic."""
    texts = table.sample[name].texts[:2000]
    counter = Counter(len(match[1]) for text in texts if (match := re.fullmatch(r"\s*[+-]?\d+[.,](\d+)\s*", text)))
    return 0.51 * 10.0 ** -(counter.most_common(1)[0][0] if counter else 0)


def that_disagree(
    table: TableStudy, kind: Kind, columns: Sequence[ColumnProfile], wrong: str, right: str, words: str
) -> Iterator[Finding]:
    """The finding of the records for which `wrong` holds, if there are any, with the check that `right` must hold."""
    door = make_filter("formula", value=wrong)
    if not (count := table.opened_by([door])):
        return
    yield make(
        kind, [column.name for column in columns], severity_of(count, table.records), count, table.records,
        f"{some_records(count)} in which {words}", filters=[door],
        rule={"kind": "holds", "columns": [column.name for column in columns], "formula": right}, effect=count,
    )  # fmt: skip


def severity_of(wrong: int, every: int) -> Severity:
    """High where so few disagree that it can hardly be meant, low where it may be."""
    return "high" if wrong <= 0.01 * every else "middle" if wrong <= 0.05 * every else "low"
