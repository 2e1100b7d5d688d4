"""Series in time: dates out of order; the steps of moments; values that stick, or leave their neighbours."""

from __future__ import annotations

from collections.abc import Iterator

from pravin_core.profiling.findings.base import Finding
from pravin_core.profiling.findings.tables.series import steps, values
from pravin_core.profiling.findings.tables.series.order import ORDER, order
from pravin_core.profiling.findings.tables.series.stations import series_of
from pravin_core.profiling.findings.tables.series.steps import AGAIN, GAP, OFF
from pravin_core.profiling.findings.tables.series.values import SPIKE, STUCK
from pravin_core.profiling.table import TableStudy
from pravin_core.tables.types import DataType, Role

__all__ = ["AGAIN", "GAP", "OFF", "ORDER", "SPIKE", "STUCK", "find"]


def find(table: TableStudy) -> Iterator[Finding]:
    """What is wrong with the order and the steps of moments, and with values along them."""
    for column in table.having(Role.TIME):
        if (
            column.type in (DataType.DATE, DataType.DATETIME)
            and column.dates
            and column.dates.count > 0.6 * table.records > 12
        ):
            yield from order(table, column)
    if (series := series_of(table)) is not None:
        yield from steps.find(series)
        yield from values.find(series)
