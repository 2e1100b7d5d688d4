"""Rows in the binary form of COPY: what PostgreSQL reads is, to the last digit, what was in the batch."""

from __future__ import annotations

import math
from datetime import date, datetime
from decimal import Decimal
from typing import Any

import pyarrow as pa
import pytest
from django.db import connection, transaction
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from psycopg import sql

from pravin_server.releases import binary_rows

WHOLE = st.integers(-(2**63), 2**63 - 1)
SHORT = st.decimals(-(10**9), 10**9, places=3).map(float)  # numbers as people write them
DOUBLE = st.one_of(
    SHORT, st.floats(), st.sampled_from([0.1 + 0.2, 5e-324, 1.7976931348623157e308, -1e22, 999999999999999.9, -0.0])
)
TEXT = st.text(st.characters(codec="utf-8", exclude_characters="\x00"))
DAY = st.dates(date(1, 1, 1), date(9999, 12, 31))
MOMENT = st.datetimes(datetime(1, 1, 1), datetime(9999, 12, 31))
KINDS: dict[str, tuple[pa.DataType, str, Any]] = {
    "whole": (pa.int64(), "bigint", WHOLE),
    "whole, kept exactly": (pa.int64(), "numeric", WHOLE),
    "short decimals": (pa.float64(), "numeric", SHORT),
    "doubles": (pa.float64(), "numeric", DOUBLE),
    "exact": (pa.decimal128(38, 7), "numeric(38,7)", st.decimals(Decimal(-(10**30)), Decimal(10**30), places=7)),
    "exact without decimals": (pa.decimal128(38, 0), "numeric", st.integers(-(10**38) + 1, 10**38 - 1).map(Decimal)),
    "text": (pa.string(), "text", TEXT),
    "sized text": (pa.string(), "character varying(9)", st.text(st.characters(codec="utf-8", exclude_characters="\x00"), max_size=9)),
    "days": (pa.date32(), "date", DAY),
    "days as moments": (pa.date32(), "timestamp without time zone", DAY),
    "moments": (pa.timestamp("us"), "timestamp without time zone", MOMENT),
    "yes or no": (pa.bool_(), "boolean", st.booleans()),
}  # fmt: skip


def stored(batches: list[pa.RecordBatch], types: list[str]) -> list[list[Any]]:
    """What the database holds of the batches, by column, numbers as it writes them."""
    encode = binary_rows.encoders(batches[0].schema, types)
    assert encode is not None
    columns = [sql.SQL("{} {}").format(sql.Identifier(f"c{at}"), sql.SQL(kind)) for at, kind in enumerate(types)]
    shown = [
        sql.SQL("c{}::text" if kind.startswith("numeric") else "c{}").format(sql.SQL(str(at)))
        for at, kind in enumerate(types)
    ]
    with transaction.atomic(), connection.cursor() as cursor:
        body = sql.SQL(", ").join([sql.SQL("at serial"), *columns])
        cursor.execute(sql.SQL("CREATE TEMPORARY TABLE read_back ({})").format(body))
        named = sql.SQL(", ").join(sql.Identifier(f"c{at}") for at in range(len(types)))
        with cursor.copy(sql.SQL("COPY read_back ({}) FROM STDIN (FORMAT BINARY)").format(named)) as copy:
            copy.write(binary_rows.HEADER)
            for batch in batches:
                for piece in binary_rows.rows(batch, encode):
                    copy.write(piece)
            copy.write(binary_rows.TRAILER)
        cursor.execute(sql.SQL("SELECT {} FROM read_back ORDER BY at").format(sql.SQL(", ").join(shown)))
        rows = cursor.fetchall()
        cursor.execute("DROP TABLE read_back")
    return [list(column) for column in zip(*rows, strict=True)] if rows else [[] for _ in types]


def expected(value: Any, kind: str) -> Any:
    """A value as the database should show it, reckoned by Python alone."""
    if value is None:
        return None
    if kind.startswith("numeric"):
        if isinstance(value, float) and not math.isfinite(value):
            return {math.inf: "Infinity", -math.inf: "-Infinity"}.get(value, "NaN")
        if isinstance(value, float):
            shortest = Decimal(repr(value)).normalize()
            return format(abs(shortest) if shortest == 0 else shortest, "f")
        return format(value, "f") if isinstance(value, Decimal) else str(value)
    if kind.startswith("timestamp") and not isinstance(value, datetime):
        return datetime(value.year, value.month, value.day)
    return value


@pytest.mark.django_db
@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_every_value_comes_as_it_is_beside_every_other(data: st.DataObject) -> None:
    names = data.draw(st.lists(st.sampled_from(sorted(KINDS)), min_size=1, max_size=6))
    count = data.draw(st.integers(0, 12))
    columns = [
        data.draw(st.lists(st.none() | KINDS[name][2] if data.draw(st.booleans()) else KINDS[name][2], min_size=count, max_size=count))
        for name in names
    ]  # fmt: skip
    arrays = [pa.array(column, KINDS[name][0]) for name, column in zip(names, columns, strict=True)]
    batch = pa.RecordBatch.from_arrays(arrays, [str(at) for at in range(len(names))])
    cut = data.draw(st.integers(0, count))
    types = [KINDS[name][1] for name in names]
    told = stored([batch.slice(0, cut), batch.slice(cut)], types)  # a slice begins within its buffers
    assert told == [[expected(v, kind) for v in column] for column, kind in zip(columns, types, strict=True)]


@pytest.mark.django_db
@settings(max_examples=200, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(values=st.lists(DOUBLE, min_size=1, max_size=30))
def test_numbers_keep_all_their_digits_whatever_stands_beside_them(values: list[float]) -> None:
    batch = pa.RecordBatch.from_arrays([pa.array(values, pa.float64(), from_pandas=False)], ["n"])
    assert stored([batch], ["numeric"]) == [[expected(value, "numeric") for value in values]]


@pytest.mark.django_db
def test_a_batch_of_long_texts_is_made_in_pieces(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(binary_rows, "_TOGETHER", 1000)
    values = [None if n % 7 == 0 else f"{n} " * n for n in range(90)]
    batch = pa.RecordBatch.from_arrays([pa.array(values), pa.array(range(90))], ["t", "n"])
    encode = binary_rows.encoders(batch.schema, ["text", "bigint"])
    assert encode is not None
    pieces = binary_rows.rows(batch, encode)
    assert len(pieces) > 12
    assert max(len(piece) for piece in pieces) < 2000
    assert stored([batch], ["text", "bigint"]) == [values, list(range(90))]


@pytest.mark.parametrize(
    ("values", "kind"),
    [
        (pa.float64(), "bigint"), (pa.string(), "numeric"), (pa.int64(), "text"), (pa.timestamp("us", "UTC"), "timestamp without time zone"),
        (pa.timestamp("ns"), "timestamp without time zone"), (pa.timestamp("us"), "date"), (pa.large_string(), "text"),
        (pa.decimal128(9, -2), "numeric"), (pa.int32(), "bigint"),
    ],
)  # fmt: skip
def test_what_is_not_of_the_type_is_left_to_the_database(values: pa.DataType, kind: str) -> None:
    schema = pa.schema([("a", pa.int64()), ("b", values)])
    assert binary_rows.encoders(schema, ["bigint", kind]) is None
    assert binary_rows.encoders(schema.remove(1), ["bigint"]) is not None
