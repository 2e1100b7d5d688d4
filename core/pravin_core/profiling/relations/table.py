"""The columns of a table as arrays that can be compared: numbers as they are, categories as codes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from sqlglot import exp

from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import connect
from pravin_core.engines.kinds import MISSING_TOKENS, moment_of
from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.model import ColumnProfile
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import NUMBERS, DataType, Role

SAMPLE = 20_000
LEVELS = 1_000
MOST_COLUMNS = 300
DATES = (DataType.DATE, DataType.DATETIME)
Array = np.ndarray[Any, Any]


@dataclass(frozen=True)
class Measured:
    """A column: `numbers` (NaN where missing) or `codes` (-1 where missing) with `levels` different values.

    Neither is given for a column that cannot be compared; `why_not` says why.
    """

    name: str
    missing: Array
    numbers: Array | None = None
    codes: Array | None = None
    levels: int = 0
    why_not: str = ""

    @property
    def scale(self) -> str:
        """number, category or none."""
        return "number" if self.numbers is not None else "category" if self.codes is not None else "none"


def measured(
    snapshot: Snapshot,
    columns: Sequence[ColumnProfile],
    scratch: Path,
    limits: Limits = Limits(),
    sample: int | None = SAMPLE,
) -> list[Measured]:
    """The columns (at most 300) over all records, or over about `sample` of them at even distances."""
    step = 1 if sample is None else max(1, snapshot.records // sample)
    with connect([snapshot.folder], scratch, limits) as con:
        met = template(":r % :s = 0", r=column(RECORD), s=exp.Literal.number(step))
        return [_measure(con, snapshot, column, met) for column in columns[:MOST_COLUMNS]]


def _measure(con: Connection, snapshot: Snapshot, profile: ColumnProfile, met: exp.Expr) -> Measured:
    text = template("trim(:c)", c=text_of(profile.name))
    meant = {value.value.strip().lower() for value in profile.meant}
    tokens = exp.Array(expressions=[exp.Literal.string(token) for token in MISSING_TOKENS if token not in meant])
    gap = template(":t = '' OR list_contains(:tokens, lower(:t))", t=text, tokens=tokens)
    value = _value(profile, text)
    query = exp.select(exp.alias_(value, "value"), exp.alias_(gap, "gap")).from_(read_parquet(snapshot.parts))
    results = con.execute(sql(query.where(met).order_by(column(RECORD)))).fetchnumpy()
    missing = np.asarray(results["gap"], dtype=bool)
    if profile.type in (*NUMBERS, *DATES) and profile.role is not Role.IDENTIFIER:
        numbers: Array = np.ma.filled(np.ma.asarray(results["value"], dtype=float), np.nan)
        if np.unique(numbers[np.isfinite(numbers)]).size < 2:
            return Measured(profile.name, missing, why_not="it does not vary")
        return Measured(profile.name, missing, numbers=np.where(missing | ~np.isfinite(numbers), np.nan, numbers))
    texts = np.ma.filled(np.ma.asarray(results["value"], dtype=object), "").astype(str)
    names, codes = np.unique(texts[~missing], return_inverse=True)
    if len(names) < 2:
        return Measured(profile.name, missing, why_not="it does not vary")
    if len(names) > min(LEVELS, 0.5 * max(1, (~missing).sum())):
        return Measured(profile.name, missing, why_not="nearly all values are distinct")
    every = np.full(len(texts), -1, dtype=np.int64)
    every[~missing] = codes
    return Measured(profile.name, missing, codes=every, levels=len(names))


def _value(profile: ColumnProfile, text: exp.Expr) -> exp.Expr:
    """Numbers as numbers, dates as seconds, everything else as text."""
    if profile.role is Role.IDENTIFIER:
        return text
    if profile.type in NUMBERS:
        point = template("replace(:t, ',', '.')", t=text) if profile.decimal_mark == "," else text
        return exp.TryCast(this=point, to=exp.DataType.build("DOUBLE"))
    if profile.type in DATES and profile.dates:
        return template("epoch(:m)", m=moment_of(text, [form.value for form in profile.dates.formats]))
    return text
