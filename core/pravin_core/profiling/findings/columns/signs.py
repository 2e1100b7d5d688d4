"""Numbers below zero in a column where hardly any other is, and whose size is that of the others."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from pravin_core.profiling.column_values import ColumnValues, quantile
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, listed, of_column, values_behind
from pravin_core.profiling.findings.formulas import number_of
from pravin_core.profiling.model import ColumnProfile
from pravin_core.records.filters import make_filter
from pravin_core.tables.types import Role

KIND = Kind(
    "sign that never else occurs",
    "At most 8 in 100 numbers of a column are below zero, and these are as large as the others: half of them at least a quarter "
    "of the median of the numbers above zero. Numbers that only just cross zero are not meant. Low where they are more than 1 in "
    "100, for then returns or corrections may be meant.",
)
AFTER = True  # a code for missing is no number below zero
FEW, OFTEN = 0.08, 0.01


def find(column_values: ColumnValues, column: ColumnProfile, findings: Sequence[Finding]) -> Iterator[Finding]:
    """The numbers below zero, with the check that there are none."""
    if column.role is not Role.QUANTITY or column_values.numeric < 30:
        return
    values, counts = column_values.numbers
    first = int(np.searchsorted(values, 0.0, side="left"))
    if not first or counts[values > 0].sum() < 20:
        return
    door = [make_filter("column", name=column.name, test="below", value="0")]
    met, door = values_behind(column_values, column, door, findings)
    numbers = {value: abs(float(value.strip().replace(",", "."))) for value, _ in met}
    count = sum(n for _, n in met)
    if not 0 < count <= FEW * column_values.numeric:
        return
    sizes = np.repeat(np.array([numbers[value] for value, _ in met]), [n for _, n in met])
    middle, most = quantile(values[values > 0], counts[values > 0], (0.5, 0.99))
    if not 0.25 * middle <= float(np.median(sizes)) <= 2 * most:
        return
    texts = [value for value, _ in met]
    yield of_column(
        column_values, KIND, "middle" if count <= OFTEN * column_values.numeric else "low", count,
        f"{cells(count)} below zero, where all others are not: {listed(texts)}",
        evidence=[Evidence(value=value, count=n) for value, n in met[:12]], filters=door,
        rule={"kind": "holds", "columns": [column.name], "formula": f"{number_of(column)} >= 0"},
    )  # fmt: skip
