"""Columns that determine each other, and the records that disagree."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from sqlglot import exp

from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, make, some_records
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import TableStudy
from pravin_core.records.filters import make_filter
from pravin_core.sql.trees import template
from pravin_core.tables.types import Role

KIND = Kind(
    "dependent columns disagree",
    "A column that determines another one (each of its values goes with one value of the other in at least 97 of 100 "
    "records, not explained by the most frequent value alone) and records where it does not (an approximate functional "
    "dependency with error g3, Kivinen and Mannila 1995).",
)
FEW = 0.03
MOST = 80  # columns that are compared with each other
QUICK = 1000


def find(table: TableStudy) -> Iterator[Finding]:
    """Pairs of columns with the records in which the second is not what the first says."""
    able = [column for column in table.columns if _able(column, table.records)][:MOST]
    codes = {each_column.name: table.sample[each_column.name].codes for each_column in able}
    seen: set[frozenset[str]] = set()
    for one in able:
        for other in able:
            pair = frozenset((one.name, other.name))
            if one is other or pair in seen or one.distinct < other.distinct:
                continue
            if _error(codes[one.name][:QUICK], codes[other.name][:QUICK]) > 2 * FEW + 0.01:
                continue
            error = _error(codes[one.name], codes[other.name])
            alone = 1 - np.bincount(codes[other.name]).max() / len(codes[other.name])
            if error < FEW + 0.01 and alone > 0.2 and error < 0.2 * alone:
                finding = _disagreeing(table, one, other)
                if finding:
                    seen.add(pair)
                    yield finding


def _able(profile: ColumnProfile, records: int) -> bool:
    if profile.role not in (Role.CATEGORY, Role.IDENTIFIER, Role.QUANTITY, Role.FREE_TEXT) or (
        profile.numbers and profile.type == "decimal"
    ):
        return False
    return 2 <= profile.distinct <= min(20_000, 0.34 * records)


def _error(left: np.ndarray, right: np.ndarray) -> float:  # type: ignore[type-arg]
    """The share of the sample to leave out for the left to determine the right."""
    pairs, counts = np.unique(left.astype(np.int64) * (int(right.max()) + 1) + right, return_counts=True)
    heads = pairs // (int(right.max()) + 1)
    most = np.zeros(int(left.max()) + 1, dtype=np.int64)
    np.maximum.at(most, heads, counts)
    return float(1 - most.sum() / len(left))


def _disagreeing(table: TableStudy, profile: ColumnProfile, other: ColumnProfile) -> Finding | None:
    a, b = text_of(profile.name), text_of(other.name)
    pairs = (
        exp.select(exp.alias_(a, "a"), exp.alias_(b, "b"), "count(*) AS n")
        .from_(table.source)
        .where(template(":a <> '' AND :b <> ''", a=a, b=b))
        .group_by("ALL")
    )
    ranked = exp.select(
        "a", "b", "n", "sum(n) OVER (PARTITION BY a) AS every", "row_number() OVER (PARTITION BY a ORDER BY n DESC, b) AS place",
        "first_value(b) OVER (PARTITION BY a ORDER BY n DESC, b) AS usual", "max(n) OVER (PARTITION BY a) AS most",
    ).from_(pairs.subquery("pairs"))  # fmt: skip
    odd = exp.select("a", "b", "n", "usual", "sum(n) OVER ()").from_(ranked.subquery("r"))
    odd = odd.where("place > 1", "most >= 0.7 * every", "every >= 4").order_by("n DESC", "a", "b").limit(200)
    rows = table.ask(odd)
    if not rows:
        return None
    count = int(rows[0][4])
    filled = table.records - max(profile.missing, other.missing)
    if not 0 < count <= FEW * filled or len(rows) == 200:
        return None
    wrong = [
        make_filter("all of", of=(make_filter("column", name=profile.name, test="is", value=a_[:2000]),
                                make_filter("column", name=other.name, test="is", value=b_[:2000])))
        for a_, b_, *_ in rows
    ]  # fmt: skip
    first = rows[0]
    says = (
        f"{some_records(count)} in which {other.name} is not what {profile.name} says: “{first[0]}” goes with “{first[3]}”, "
        f"not with “{first[1]}”"
    )
    return make(
        KIND, [profile.name, other.name], "middle", count, table.records, says,
        evidence=[Evidence(value=f"{a_} with {b_}", count=n, becomes=f"{a_} with {usual}") for a_, b_, n, usual, _ in rows],
        filters=wrong if len(wrong) == 1 else [make_filter("any of", of=tuple(wrong))],
    )  # fmt: skip
