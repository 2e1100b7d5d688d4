"""Values written only on the first record of a group."""

from __future__ import annotations

from collections.abc import Iterator

from sqlglot import exp

from pravin_core.engines.duckdb import column, template
from pravin_core.profiling.findings.base import Finding, Kind, make, some_records
from pravin_core.profiling.study import text_of
from pravin_core.profiling.table import TableStudy
from pravin_core.records.filters import Filter
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import Role

KIND = Kind(
    "only on the first record",
    "A category of which a third to nearly all cells are missing, in stretches of at least three on average, each after "
    "a filled cell: as in tables made to be read, where a value holds until the next one.",
)


HEAD = 20_000


def _stretched(table: TableStudy, rows: exp.Select) -> bool:
    """Whether gaps follow each other in the first records: a cheap look before all are searched."""
    beside = exp.select("v", f'lag(v) OVER (ORDER BY "{RECORD}") AS above').from_(rows.subquery("c"))
    starts, missing = table.ask(
        exp.select("count_if(v = '' AND above <> '')", "count_if(v = '')").from_(beside.subquery("b"))
    )[0]
    return bool(missing > 2 * starts)


def find(table: TableStudy) -> Iterator[Finding]:
    """Columns whose gaps follow a value."""
    for one in table.having(Role.CATEGORY, Role.IDENTIFIER):
        if table.records < 20 or not 0.15 <= one.missing / table.records <= 0.98 or one.distinct > 0.2 * table.records:
            continue
        order = f'OVER (ORDER BY "{RECORD}")'
        rows = exp.select(column(RECORD), exp.alias_(text_of(one.name), "v")).from_(table.source)
        if table.records > 4 * HEAD and not _stretched(
            table, rows.where(template(":r <= :n", r=column(RECORD), n=exp.convert(HEAD)))
        ):
            continue
        cells = exp.select("v", f"lag(v) {order} AS above", f"lead(v) {order} AS below").from_(rows.subquery("c"))
        sums = exp.select("count_if(v = '' AND above <> '')", "count_if(v = '')", "count_if(v <> '' AND below <> '')",
                          "count_if(v <> '')", "count_if(v <> '' AND above <> '' AND v = above)").from_(cells.subquery("b"))  # fmt: skip
        stretches, missing, together, filled, again = table.ask(sums)[0]
        blocks = filled - together
        if (
            stretches
            and missing / stretches >= 3
            and again <= 0.5 * filled
            and blocks >= 2
            and stretches <= 0.1 * missing + 50
        ):
            yield make(
                KIND, [one.name], "low", missing, table.records,
                f"{some_records(missing)} without a value, in {stretches:,} stretches that each follow one",
                filters=[Filter(on="column", name=one.name, test="missing")],
            )  # fmt: skip
