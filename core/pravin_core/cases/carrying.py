"""Which records of a delivery are the same when it is read otherwise, so that decisions go with them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyarrow as pa
from sqlglot import exp

from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect
from pravin_core.intake.snapshot import Snapshot
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables.columns import FILE, LINE, RECORD
from pravin_core.tables.record_sets import Numbers, packed, unpacked


def same_records(before: Snapshot, after: Snapshot, scratch: Path, limits: Limits = Limits()) -> Numbers:
    """Pairs of record numbers (int64, n x 2, rising by the first): before and after. A record is the same when it stands in the
    source of the same name on the same line, and no cell of the columns that both have differs.
    """
    names = [name for name in before.columns if name in after.columns]
    if not names:
        return np.empty((0, 2), dtype=np.int64)
    places = {file.name: place for place, file in enumerate(after.files)}
    pairs = [(old, places[file.name]) for old, file in enumerate(before.files) if file.name in places]
    cells = [template(":a IS NOT DISTINCT FROM :b", a=column(n, "b"), b=column(n, "a")) for n in names]
    on = exp.and_(
        template(":f = p.old", f=column(FILE, "b")),
        template(":f = p.new", f=column(FILE, "a")),
        template(":x = :y", x=column(LINE, "b"), y=column(LINE, "a")),
        *cells,
    )
    query = (
        exp.select(column(RECORD, "b").as_("was"), column(RECORD, "a").as_("is"))
        .from_(exp.select("*").from_(read_parquet(before.parts)).subquery("b"))
        .join(exp.to_table("pairs").as_("p"), on=template(":f = p.old", f=column(FILE, "b")))
        .join(exp.select("*").from_(read_parquet(after.parts)).subquery("a"), on=on)
        .order_by("1")
    )
    with connect([before.folder, after.folder], scratch, limits) as con:
        con.register("pairs", pa.table({"old": [old for old, _ in pairs], "new": [new for _, new in pairs]}))
        rows = con.execute(sql(query)).fetchnumpy()
    return np.column_stack([np.asarray(rows["was"], dtype=np.int64), np.asarray(rows["is"], dtype=np.int64)])


def carried(content: bytes, pairs: Numbers) -> bytes:
    """What is kept of a decision, for the numbers that its records have now; records that are not the same any more are left out."""
    table = unpacked(content)
    records = table.column("record").to_numpy()
    places = np.minimum(np.searchsorted(pairs[:, 0], records), max(len(pairs) - 1, 0))
    holds = np.flatnonzero(pairs[places, 0] == records) if len(pairs) else np.empty(0, dtype=np.int64)
    kept = table.take(holds).set_column(0, "record", pa.array(pairs[places[holds], 1], pa.int64()))
    return packed(kept.sort_by("record"))
