"""The contract of a released table: what its columns are and must hold, and which records break it."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Self

from pydantic import BaseModel, ConfigDict, Field, model_validator
from sqlglot import exp

from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect
from pravin_core.releases.adding_up import key_faults
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import NUMBERS, DataType

MOST_DIGITS = 1000  # of a number with a fixed scale, as PostgreSQL keeps it
LONGEST = 10_485_760  # characters of a text with a length, as PostgreSQL keeps it
_HOLDS = {
    DataType.EXACT: (DataType.EXACT, DataType.DECIMAL, DataType.WHOLE),
    DataType.DECIMAL: (DataType.DECIMAL, DataType.EXACT, DataType.WHOLE),
    DataType.DATETIME: (DataType.DATETIME, DataType.DATE),
}  # a type holds itself, and text holds all


class ContractColumn(BaseModel):
    """A column of the released table. `length`: most characters of a text; `digits` and `decimals`: of a number, all and those after
    the point. `required`: no value is missing. `key`: part of what tells records apart. `allowed`: the values it may have, as written;
    empty: any. `personal`: it says something of persons; `masked`: it may only go out masked.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(min_length=1, max_length=200)
    type: DataType
    label: str = Field(default="", max_length=200)
    description: str = Field(default="", max_length=2000)
    unit: str = Field(default="", max_length=60)
    example: str = Field(default="", max_length=400)
    length: int | None = Field(default=None, ge=1, le=LONGEST)
    digits: int | None = Field(default=None, ge=1, le=MOST_DIGITS)
    decimals: int | None = Field(default=None, ge=0, le=MOST_DIGITS)
    required: bool = False
    key: bool = False
    allowed: tuple[str, ...] = Field(default=(), max_length=1000)
    personal: bool = False
    masked: bool = False

    @model_validator(mode="after")
    def _fits_its_type(self) -> Self:
        if self.length is not None and self.type is not DataType.TEXT:
            raise ValueError(f"The column {self.name}: only a text has a length; this is a {self.type.value}.")
        sized = self.digits is not None or self.decimals is not None
        if sized and self.type not in (DataType.DECIMAL, DataType.EXACT):
            raise ValueError(
                f"The column {self.name}: only a decimal has digits and decimals; this is a {self.type.value}."
            )
        if sized and (self.digits is None or self.decimals is None or self.decimals > self.digits):
            raise ValueError(
                f"The column {self.name}: give all digits and those after the point, not more of the latter."
            )
        return self


class Contract(BaseModel):
    """The columns of a released table, in order; each name once."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    columns: tuple[ContractColumn, ...] = Field(default=(), max_length=5000)

    @model_validator(mode="after")
    def _each_once(self) -> Self:
        known = [each.name for each in self.columns]
        if twice := next((name for name in known if known.count(name) > 1), None):
            raise ValueError(f"The column {twice} stands in the contract twice.")
        return self

    @property
    def key(self) -> list[str]:
        """The columns that tell records apart."""
        return [each.name for each in self.columns if each.key]


@dataclass(frozen=True)
class Breach:
    """What breaks a contract: the column (none: the key), the sentence, how many records (0: the column itself), the first of them."""

    column: str
    sentence: str
    records: int = 0
    first: tuple[int, ...] = ()


def judge(
    contract: Contract,
    result: Sequence[Path],
    columns: Sequence[tuple[str, str]],
    masked: Collection[str],
    scratch: Path,
    limits: Limits = Limits(),
) -> list[Breach]:
    """What breaks a contract in the ready records of a run's result: columns that lack, are not in it or are of another type, values
    that lack, are too long, not among those allowed, and records that the key cannot tell apart. `masked`: columns that a rule masks.
    """
    if not contract.columns:
        return []
    types = {name: DataType(kind) for name, kind in columns}
    known = {each.name for each in contract.columns}
    breaches = [Breach(name, "is not in the contract") for name in types if name not in known]
    judged: list[tuple[ContractColumn, str, exp.Expr]] = []
    for each in contract.columns:
        found = types.get(each.name)
        if found is None:
            breaches.append(Breach(each.name, "is not there"))
        elif found is not each.type and each.type is not DataType.TEXT and found not in _HOLDS.get(each.type, ()):
            breaches.append(Breach(each.name, f"goes out as {found.value}; the contract says {each.type.value}"))
        else:
            judged += [(each, sentence, broken) for sentence, broken in _conditions(each, found)]
        if each.masked and found is not None and each.name not in masked:
            breaches.append(Breach(each.name, "must be masked, and no rule masks it"))
    breaches += _counted(judged, result, scratch, limits)
    if contract.key and all(name in types for name in contract.key):
        faults = key_faults(result, columns, contract.key, scratch, limits)
        if faults.shared:
            breaches.append(
                Breach(
                    ", ".join(contract.key),
                    "is the key, and more than one record has it",
                    faults.shared,
                    faults.first_shared,
                )
            )
    return breaches


def _conditions(asked: ContractColumn, found: DataType) -> list[tuple[str, exp.Expr]]:
    """What a column of a type must not be, each as a sentence and a condition that is true of records that break it."""
    cell, text = column(asked.name), written(column(asked.name), found)
    conditions: list[tuple[str, exp.Expr]] = []
    if asked.required or asked.key:
        conditions.append(("is missing", template("coalesce(:t, '') = ''", t=text)))
    if asked.length is not None:
        conditions.append(
            (f"is longer than {asked.length:,} characters", template("length(:t) > :n", t=text, n=asked.length))
        )
    if asked.digits is not None and asked.decimals is not None and found in NUMBERS:
        decimals = template("length(split_part(:t, '.', 2)) > :n", t=text, n=asked.decimals)
        conditions.append((f"has more than {asked.decimals} decimals", decimals))
        whole = template("length(ltrim(split_part(:t, '.', 1), '-0')) > :n", t=text, n=asked.digits - asked.decimals)
        conditions.append((f"has more than {asked.digits - asked.decimals} digits before the point", whole))
    if asked.allowed:
        among = exp.In(this=text, expressions=[exp.Literal.string(value) for value in asked.allowed])
        conditions.append(
            (
                "is none of the values allowed",
                template(":c IS NOT NULL AND :t <> '' AND NOT :in", c=cell, t=text, **{"in": exp.paren(among)}),
            )
        )
    return conditions


def _counted(
    judged: Sequence[tuple[ContractColumn, str, exp.Expr]], result: Sequence[Path], scratch: Path, limits: Limits
) -> list[Breach]:
    """The conditions that records fulfil, counted in one reading."""
    if not judged:
        return []
    counts = [template("count(*) FILTER (:b)", b=broken) for _, _, broken in judged]
    ready = template(":s IN ('ready', 'corrected')", s=column(names.STATE))
    rows = exp.select(*counts).from_(read_parquet(result)).where(ready)
    breaches = []
    with connect([path.parent for path in result], scratch, limits) as con:
        found = con.execute(sql(rows)).fetchone() or ()
        for (asked, sentence, broken), count in zip(judged, found, strict=True):
            if count:
                first = (
                    exp.select(column(RECORD))
                    .from_(read_parquet(result))
                    .where(ready, broken)
                    .order_by(column(RECORD))
                    .limit(5)
                )
                records = tuple(int(row[0]) for row in con.execute(sql(first)).fetchall())
                breaches.append(Breach(asked.name, sentence, int(count), records))
    return breaches


def propose(
    result: Sequence[Path], columns: Sequence[tuple[str, str]], key: Sequence[str], personal: Collection[str], scratch: Path,
    limits: Limits = Limits(),
) -> Contract:  # fmt: skip
    """A contract as the ready records of a result would fulfil it: types as they are, required where nothing is missing, an example."""
    types = {name: DataType(kind) for name, kind in columns}
    texts = {name: template("nullif(:t, '')", t=written(column(name), kind)) for name, kind in types.items()}
    asked = [
        template(expression, t=text) for text in texts.values() for expression in ("count(*) - count(:t)", "min(:t)")
    ]
    ready = template(":s IN ('ready', 'corrected')", s=column(names.STATE))
    with connect([path.parent for path in result], scratch, limits) as con:
        query = exp.select(template("count(*)"), *asked).from_(read_parquet(result)).where(ready)
        records, *found = con.execute(sql(query)).fetchone() or (0,)
    told = zip(types.items(), found[::2], found[1::2], strict=True)
    return Contract(
        columns=tuple(
            ContractColumn(
                name=name, type=kind, required=bool(records) and missing == 0, key=name in key,
                example=(example or "")[:400], personal=name in personal,
            )
            for (name, kind), missing, example in told
        )
    )  # fmt: skip
