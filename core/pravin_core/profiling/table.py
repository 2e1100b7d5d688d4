"""The whole table that is profiled: its source, the profiles of its columns, and an even sample of its records."""

from __future__ import annotations

from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Any

import numpy as np
import pyarrow
from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.engines.duckdb import beside
from pravin_core.engines.kinds import moment_of
from pravin_core.profiling.column_values import cell_of
from pravin_core.profiling.model import ColumnProfile
from pravin_core.records.filters import Filter, kept
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import NUMBERS, DataType, Role

pa: Any = pyarrow
SAMPLE = 20_000
TELLING = 4


class TableStudy:
    """`source` holds `records` records of text columns, described by `columns`; `repeated` of them repeat another."""

    def __init__(
        self,
        con: Connection,
        source: exp.Expr,
        records: int,
        columns: Sequence[ColumnProfile],
        now: datetime,
    ) -> None:
        self.con, self.source, self.records, self.columns, self.now = con, source, records, tuple(columns), now

    def with_own(self, con: Connection) -> TableStudy:
        """The same table with a connection (and temporary tables) of its own; what is known already is shared."""
        other = copy(self)
        other.con = con
        return other

    def ask(self, query: exp.Expr) -> list[tuple[Any, ...]]:
        """The rows of a query."""
        return self.con.execute(sql(query)).fetchall()

    def conditions(self, filters: Sequence[Filter]) -> list[exp.Expr]:
        """The conditions of filters on the table's texts."""
        types = {column.name: DataType.TEXT for column in self.columns}
        return [filter_.condition(types, {}) for filter_ in filters]

    def opened_by(self, filters: Sequence[Filter]) -> int:
        """How many records filters open."""
        query = kept(exp.select("1 AS one").from_(self.source), self.conditions(filters))
        return int(self.ask(exp.select("count(*)").from_(query.subquery("q")))[0][0])

    def count(self, condition: exp.Expr) -> int:
        """How many records fit a condition."""
        return int(self.ask(exp.select("count(*)").from_(self.source).where(condition))[0][0])

    def numbers_of(self, condition: exp.Expr, most: int = 2000) -> list[int]:
        """The numbers of the first records that fit a condition."""
        query = exp.select(column(RECORD)).from_(self.source).where(condition).order_by(column(RECORD)).limit(most)
        return [row[0] for row in self.ask(query)]

    def having(self, *roles: Role) -> list[ColumnProfile]:
        """The columns of some roles."""
        return [column for column in self.columns if column.role in roles]

    @property
    def sampled(self) -> exp.Expr:
        """The condition that a record belongs to the sample."""
        step = max(1, self.records // SAMPLE)
        return template(":r % :s = 0", r=column(RECORD), s=exp.Literal.number(step))

    @cached_property
    def repeated(self) -> int:
        """How many records repeat an earlier one in every cell.

        The columns that tell most apart are asked first; only where they leave records alike are all columns
        compared, by a 128-bit hash.
        """
        if any(column.distinct == self.records for column in self.columns):
            return 0
        telling = sorted(self.columns, key=lambda each_column: -each_column.distinct)[:TELLING]
        if not self.may_repeat([cell_of(each_column) for each_column in telling]):
            return 0
        return self.repeats([cell_of(column) for column in self.columns])

    def may_repeat(self, cells: Sequence[exp.Expr]) -> bool:
        """Whether records may be alike in these cells: surely not, if a 64-bit hash of them is different for each."""
        hashed = exp.alias_(exp.Anonymous(this="hash", expressions=list(cells)), "one")
        groups = exp.select("count(DISTINCT one)").from_(exp.select(hashed).from_(self.source).subquery("h"))
        return int(self.ask(groups)[0][0]) < self.records

    def repeats(self, cells: Sequence[exp.Expr]) -> int:
        """How many records repeat an earlier one in these cells."""
        hashes = [exp.Anonymous(this="hash", expressions=list(cells)),
                  exp.Anonymous(this="hash", expressions=[exp.Literal.string("salt"), *cells])]  # fmt: skip
        named = exp.select(exp.alias_(hashes[0], "one"), exp.alias_(hashes[1], "two")).from_(self.source)
        groups = exp.select("count(*) AS n").from_(named.subquery("h")).group_by("one", "two")
        return int(self.ask(exp.select("coalesce(sum(n - 1), 0)::BIGINT").from_(groups.subquery("g")))[0][0])

    @cached_property
    def sample(self) -> dict[str, Coded]:
        """The texts of at most 20,000 records at even distances, by column."""
        cells = [exp.alias_(cell_of(column), column.name, quoted=True) for column in self.columns]
        with beside(self.con) as own:
            read = own.sql(sql(exp.select(*cells).from_(self.source).where(self.sampled))).to_arrow_reader().read_all()
        return {each_column.name: Coded.of(read.column(at)) for at, each_column in enumerate(self.columns)}

    @cached_property
    def sampled_numbers(self) -> dict[str, np.ndarray[Any, Any]]:
        """The sample's quantities as numbers, NaN where a text is none."""
        return {
            column.name: np.array([_number(text) for text in coded.texts])[coded.codes]
            for column in self.columns
            if column.type in NUMBERS and (coded := self.sample[column.name])
        }

    @cached_property
    def sampled_days(self) -> dict[str, np.ndarray[Any, Any]]:
        """The sample's dates, with or without times, as days since 1970 and parts of one, NaN where a text is none."""
        days = {}
        for column_ in self.columns:
            if column_.type not in (DataType.DATE, DataType.DATETIME) or not column_.dates:
                continue
            coded = self.sample[column_.name]
            moment = moment_of(column("t"), [form.value for form in column_.dates.formats])
            query = exp.select(template("epoch(:m) / 86400 AS d", m=moment)).from_("texts_of_a_sample")
            with beside(self.con) as own:
                own.register("texts_of_a_sample", pa.table({"t": pa.array(coded.texts, pa.string())}))
                each: np.ndarray[Any, Any] = np.ma.filled(
                    np.ma.asarray(own.execute(sql(query)).fetchnumpy()["d"], dtype=float), np.nan
                )
            days[column_.name] = each[coded.codes]
        return days


@dataclass(frozen=True)
class Coded:
    """Texts by their place in the list of the different ones."""

    texts: list[str]
    codes: np.ndarray[Any, Any]

    @classmethod
    def of(cls, texts: Any) -> Coded:
        """From an Arrow column of texts."""
        encoded = texts.combine_chunks().dictionary_encode()
        return cls(encoded.dictionary.to_pylist(), encoded.indices.to_numpy(zero_copy_only=False))


def _number(text: str) -> float:
    try:
        return float(text.strip().replace(",", "."))
    except ValueError:
        return float("nan")
