"""Sets of record numbers in few bytes: what is kept of a decision or a case for each record."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

Numbers = np.ndarray[Any, Any]
NOTHING = np.empty(0, dtype=np.int64)


def packed(table: pa.Table) -> bytes:
    """A table whose column `record` (int64, rising) names records, as Parquet: about a byte a record, less where they follow
    each other.
    """
    others: Any = [name for name in table.column_names if not pa.types.is_integer(table.schema.field(name).type)]
    whole = [name for name in table.column_names if name not in others]
    out = io.BytesIO()
    pq.write_table(
        table,
        out,
        compression="zstd",
        use_dictionary=others,
        column_encoding=dict.fromkeys(whole, "DELTA_BINARY_PACKED"),
        store_schema=False,
    )
    return out.getvalue()


def unpacked(content: bytes) -> pa.Table:
    """The table that `packed` made the bytes of."""
    return pq.read_table(io.BytesIO(content))


def rising(records: Sequence[int] | Numbers) -> Numbers:
    """Record numbers in rising order, each once; at once where they are so already."""
    numbers = np.asarray(records, dtype=np.int64)
    if len(numbers) < 2 or bool((numbers[1:] > numbers[:-1]).all()):
        return numbers
    numbers = np.sort(numbers)
    return numbers[np.concatenate([[True], numbers[1:] != numbers[:-1]])]


def packed_numbers(records: Sequence[int] | Numbers) -> bytes:
    """Record numbers (in any order, each once or more) as bytes."""
    return packed(pa.table({"record": pa.array(rising(records), pa.int64())}))


def unpacked_numbers(content: bytes) -> Numbers:
    """The record numbers (int64, rising, each once) that `packed_numbers` made the bytes of."""
    return np.asarray(unpacked(content).column("record").to_numpy(), dtype=np.int64)


def is_in(records: Numbers, rising: Numbers) -> Numbers:
    """For each record whether it is in a set, given as rising numbers."""
    if not len(rising):
        return np.zeros(len(records), dtype=bool)
    places = np.minimum(np.searchsorted(rising, records), len(rising) - 1)
    return np.asarray(rising[places] == records)
