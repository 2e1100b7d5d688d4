"""Codes of international standards: countries, currencies and languages that no standard knows; coordinates off the globe."""

from __future__ import annotations

import re
from collections.abc import Iterator

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, listed, of_column, those
from pravin_core.profiling.findings.formulas import number_of
from pravin_core.profiling.findings.standards import STANDARDS
from pravin_core.profiling.model import ColumnProfile
from pravin_core.records.filters import make_filter
from pravin_core.tables.types import NUMBERS, DataType

CODES = Kind(
    "unknown code",
    "In a column of at least five different codes of which 95 in 100 cells are codes of countries (ISO 3166-1, two or three "
    "letters), currencies (ISO 4217) or languages (ISO 639-1), those that the standard does not have.",
)
PLACE = Kind(
    "coordinate off the globe",
    "Numbers beyond 90 degrees in a column named as a latitude, or beyond 180 in one named as a longitude, where at most 1 in 20 is.",
)
ENOUGH, LEAST = 0.95, 5
_CODED = r"^\s*[A-Za-z]{2,3}\s*$"
_LATITUDE = re.compile(r"(^|[^a-z])(lat|latitude|breitengrad|breite)($|[^a-z])", re.I)
_LONGITUDE = re.compile(r"(^|[^a-z])(lon|lng|long|longitude|längengrad|laengengrad)($|[^a-z])", re.I)


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Codes by their lists, coordinates by the name of their column."""
    if column.type is DataType.TEXT:
        yield from _unknown(column_values, column)
    if column.type in NUMBERS and column_values.numeric >= 20:
        for named, limit in ((_LATITUDE, 90), (_LONGITUDE, 180)):
            if named.search(column.name):
                yield from _off_the_globe(column_values, column, limit)
                return


def _unknown(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    if column_values.match_rate(_CODED) < 0.9 or column.distinct > 1000:
        return
    values = {value: n for value, n in column_values.matching(r"^.+$").values if value.lower() not in ("na",)}
    for words, codes in STANDARDS.items():
        known = {value: n for value, n in values.items() if value.strip() in codes}
        total = sum(values.values())
        if len(known) < LEAST or not ENOUGH * total <= sum(known.values()) < total:
            continue
        odd = [value for value in values if value not in known]
        count = total - sum(known.values())
        yield of_column(
            column_values, CODES, "middle", count,
            f"{cells(count)} {'is' if count == 1 else 'are'} not the code of {words}: {listed(odd)}",
            evidence=[Evidence(value=value, count=values[value]) for value in odd], filters=those(column.name, odd),
            rule={"kind": "allowed-values", "columns": [column.name], "values": sorted(known)},
        )  # fmt: skip
        return


def _off_the_globe(column_values: ColumnValues, column: ColumnProfile, limit: int) -> Iterator[Finding]:
    values, counts = column_values.numbers
    beyond = abs(values) > limit
    count = int(counts[beyond].sum())
    if not 0 < count <= 0.05 * column_values.numeric:
        return
    sides = [make_filter("column", name=column.name, test=test, value=bound)
             for test, bound, any_ in (("below", str(-limit), (values < -limit).any()), ("above", str(limit), (values > limit).any()))
             if any_]  # fmt: skip
    yield of_column(
        column_values, PLACE, "high", count, f"{cells(count)} beyond {limit} degrees",
        evidence=[Evidence(value=f"{value:.15g}", count=int(n)) for value, n in zip(values[beyond], counts[beyond], strict=True)][:12],
        filters=sides if len(sides) == 1 else [make_filter("any of", of=tuple(sides))],
        rule={"kind": "holds", "columns": [column.name], "formula": f"abs({number_of(column)}) <= {limit}"},
    )  # fmt: skip
