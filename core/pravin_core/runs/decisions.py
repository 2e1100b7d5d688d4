"""Decisions as they are kept and as a run takes them: acts in order, each on a set of records."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
import pyarrow as pa

from pravin_core.tables.record_sets import NOTHING, Numbers, is_in, packed, packed_numbers, rising, unpacked

Kind = Literal["amend", "accept", "discard", "reopen"]


@dataclass(frozen=True)
class Decision:
    """What a person decided on a set of records.

    `amend` puts values in, `accept` lets records pass as they are, `discard` removes them, `reopen` takes back all that was
    decided on them before. `content` is Parquet with a column `record`, for amendments also `name` and `value` (text, null is
    missing): a line for each cell.
    """

    kind: Kind
    content: bytes

    @classmethod
    def on(cls, kind: Kind, records: Sequence[int] | Numbers) -> Decision:
        """One of the kinds that need nothing but the records."""
        return cls(kind, packed_numbers(records))

    @classmethod
    def amending(cls, records: Sequence[int] | Numbers, values: Mapping[str, str | None]) -> Decision:
        """The same values by column for all records."""
        unique = rising(records)
        parts = [
            pa.table(
                {"record": unique, "name": [name] * len(unique), "value": pa.array([value] * len(unique), pa.string())}
            )
            for name, value in values.items()
        ]
        return cls.of_cells(pa.concat_tables(parts))

    @classmethod
    def of_cells(cls, cells: pa.Table) -> Decision:
        """An amendment of cells, given as `record`, `name` and `value`."""
        return cls("amend", packed(cells.select(["record", "name", "value"]).sort_by("record")))

    def among(self, records: Numbers) -> Decision | None:
        """The same for those of its records that are among others (rising); None when none is."""
        table = unpacked(self.content)
        kept = np.flatnonzero(is_in(table.column("record").to_numpy(), records))
        return Decision(self.kind, packed(table.take(kept))) if len(kept) else None

    @cached_property
    def records(self) -> Numbers:
        """The numbers of the records (int64, rising, each once)."""
        return rising(unpacked(self.content).column("record").to_numpy())

    @property
    def digest(self) -> str:
        """What tells this decision from others."""
        return hashlib.sha256(self.kind.encode() + b"\x00" + self.content).hexdigest()


def key_of(decisions: Sequence[Decision]) -> list[str]:
    """What tells these decisions, in their order, from others."""
    return [decision.digest for decision in decisions]


def decided(decisions: Sequence[Decision]) -> pa.Table:
    """How records stand after decisions in order: `record` and `kind` (amend, accept or discard), the last on each."""
    records, places = _in_order(decisions)
    last, places = _last(records, places)
    names = np.asarray([*(decision.kind for decision in decisions), ""], dtype=object)
    kinds = names[places]
    is_open = kinds != "reopen"
    return pa.table({"record": pa.array(last[is_open], pa.int64()), "kind": pa.array(kinds[is_open], pa.string())})


def amendments(decisions: Sequence[Decision]) -> pa.Table:
    """The cells amended by decisions in order: `record`, `name`, `value`; of each cell the last, since its record was last
    reopened.
    """
    empty = pa.table(
        {"record": pa.array([], pa.int64()), "name": pa.array([], pa.string()), "value": pa.array([], pa.string())}
    )
    parts, places = [empty], [NOTHING]
    for place, decision in enumerate(decisions):
        if decision.kind == "amend":
            cells = unpacked(decision.content).select(["record", "name", "value"])
            parts.append(cells.cast(empty.schema))
            places.append(np.full(cells.num_rows, place, dtype=np.int64))
    cells = pa.concat_tables(parts).combine_chunks()
    records = cells.column("record").to_numpy()
    holds = np.flatnonzero(np.concatenate(places) > _reopened(decisions, records))
    cells, records = cells.take(holds), records[holds]
    names = cells.column("name").combine_chunks().dictionary_encode()
    codes = np.asarray(names.indices.to_numpy(zero_copy_only=False), dtype=np.int64)
    cell_ids = records * max(len(names.dictionary), 1) + codes
    _, rows = _last(cell_ids, np.arange(len(cell_ids)))
    return cells.take(rows)


def _in_order(decisions: Sequence[Decision]) -> tuple[Numbers, Numbers]:
    """The records of all decisions, one after the other, and for each the place of its decision."""
    records = [NOTHING, *(decision.records for decision in decisions)]
    places = np.repeat(np.arange(-1, len(decisions)), [len(some) for some in records])
    return np.concatenate(records), places


def _last(keys: Numbers, values: Numbers) -> tuple[Numbers, Numbers]:
    """Each key once, rising, with the value that stands last beside it."""
    order = np.argsort(keys, kind="stable")
    keys, values = keys[order], values[order]
    is_last = np.concatenate([keys[1:] != keys[:-1], np.ones(min(len(keys), 1), dtype=bool)])
    return keys[is_last], values[is_last]


def _reopened(decisions: Sequence[Decision], records: Numbers) -> Numbers:
    """For each record the place of the decision that last reopened it, -1 where none did."""
    result = np.full(len(records), -1, dtype=np.int64)
    for place, decision in enumerate(decisions):
        if decision.kind == "reopen":
            result[is_in(records, decision.records)] = place
    return result
