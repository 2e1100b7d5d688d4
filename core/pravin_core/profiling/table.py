"""The whole table under study: its source, the profiles of its columns, and an even sample of its records."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from functools import cached_property
from typing import Any

import duckdb
import numpy as np
from sqlglot import exp

from pravin_core.engines.duckdb import column, sql, template
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.study import text_of
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import DataType, Role

SAMPLE = 20_000


class TableStudy:
    """`source` holds `records` records of text columns, described by `columns`; `repeated` of them repeat another."""

    def __init__(
        self,
        con: duckdb.DuckDBPyConnection,
        source: exp.Expr,
        records: int,
        columns: Sequence[ColumnProfile],
        now: datetime,
        repeated: int,
    ) -> None:
        self.con, self.source, self.records, self.columns, self.now = con, source, records, tuple(columns), now
        self.repeated = repeated

    def ask(self, query: exp.Expr) -> list[tuple[Any, ...]]:
        """The rows of a query."""
        return self.con.execute(sql(query)).fetchall()

    def count(self, condition: exp.Expr) -> int:
        """How many records fit a condition."""
        return int(self.ask(exp.select("count(*)").from_(self.source).where(condition))[0][0])

    def numbers_of(self, condition: exp.Expr, most: int = 2000) -> list[int]:
        """The numbers of the first records that fit a condition."""
        query = exp.select(column(RECORD)).from_(self.source).where(condition).order_by(column(RECORD)).limit(most)
        return [row[0] for row in self.ask(query)]

    def having(self, *roles: Role) -> list[ColumnProfile]:
        """The columns of some roles."""
        return [one for one in self.columns if one.role in roles]

    @cached_property
    def sample(self) -> dict[str, np.ndarray[Any, Any]]:
        """The texts of at most 20,000 records at even distances, by column."""
        step = max(1, self.records // SAMPLE)
        cells = [exp.alias_(text_of(one.name), one.name, quoted=True) for one in self.columns]
        query = exp.select(*cells).from_(self.source)
        if step > 1:
            met = template(":r % :s = 0", r=column(RECORD), s=exp.Literal.number(step))
            query = query.where(met)
        return dict(self.con.execute(sql(query)).fetchnumpy())

    @cached_property
    def sampled_numbers(self) -> dict[str, np.ndarray[Any, Any]]:
        """The sample's quantities as numbers, NaN where a text is none."""
        return {
            one.name: _numbers(self.sample[one.name])
            for one in self.columns
            if one.type in (DataType.WHOLE, DataType.DECIMAL)
        }


def _numbers(texts: np.ndarray[Any, Any]) -> np.ndarray[Any, Any]:
    different, places = np.unique(np.asarray(texts, dtype=object).astype(str), return_inverse=True)
    return np.array([_number(text) for text in different])[places]


def _number(text: str) -> float:
    try:
        return float(text.strip().replace(",", "."))
    except ValueError:
        return float("nan")
