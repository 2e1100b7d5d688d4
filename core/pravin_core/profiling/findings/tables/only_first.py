"""Values written only on the first record of a group."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from sqlglot import exp

from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.findings.base import Finding, Kind, make, some_records
from pravin_core.profiling.table import TableStudy
from pravin_core.records.filters import make_filter
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import Role

KIND = Kind(
    "only on the first record",
    "A category of which a third to nearly all cells are missing, in stretches of at least three on average, each after "
    "a filled cell: as in tables made to be read, where a value holds until the next one.",
)


HEAD = 20_000


def _stretched(table: TableStudy, names: Sequence[str]) -> list[str]:
    """The columns whose gaps follow each other in the first records: a cheap look before all are searched."""
    if not names:
        return []
    gaps = [exp.alias_(template(":c = ''", c=text_of(name)), f"gap{at}") for at, name in enumerate(names)]
    rows = exp.select(*gaps).from_(table.source).where(template(":r <= :n", r=column(RECORD), n=exp.convert(HEAD)))
    results = table.con.execute(sql(rows.order_by(column(RECORD)))).fetchnumpy()
    return [
        name
        for at, name in enumerate(names)
        if (gap := np.asarray(results[f"gap{at}"], dtype=bool)).sum() > 2 * (gap[1:] & ~gap[:-1]).sum()
    ]


def find(table: TableStudy) -> Iterator[Finding]:
    """Columns whose gaps follow a value."""
    able = [
        each_column
        for each_column in table.having(Role.CATEGORY, Role.IDENTIFIER)
        if 0.15 * table.records <= each_column.missing <= 0.98 * table.records
        and each_column.distinct <= 0.2 * table.records
    ]
    if table.records < 20:
        return
    if table.records > 4 * HEAD:
        stretched = _stretched(table, [each_column.name for each_column in able])
        able = [each_column for each_column in able if each_column.name in stretched]
    for column_ in able:
        order = f'OVER (ORDER BY "{RECORD}")'
        rows = exp.select(column(RECORD), exp.alias_(text_of(column_.name), "v")).from_(table.source)
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
                KIND, [column_.name], "low", missing, table.records,
                f"{some_records(missing)} without a value, in {stretches:,} stretches that each follow one",
                filters=[make_filter("column", name=column_.name, test="missing")],
            )  # fmt: skip
