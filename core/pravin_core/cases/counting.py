"""Which records stand in quarantine, and how many for what."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from sqlglot import exp

from pravin_core.cases.chosen import CHOSEN, is_chosen, know_chosen
from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.kept import kept_engine
from pravin_core.records.pages import Stage
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables import names
from pravin_core.tables.columns import FILE, RECORD
from pravin_core.tables.record_sets import Numbers


@dataclass(frozen=True)
class ReasonCount:
    """How many records break a rule in a column, and the words for it. Rule 0: a value typed by hand that does not fit."""

    rule: int
    name: str
    phrase: str
    records: int


def quarantined_numbers(stage: Stage, spills: Path, limits: Limits = Limits()) -> Numbers:
    """The numbers (int64, rising) of all records that a run set apart."""
    query = _quarantined(stage).select(column(RECORD).as_("record")).order_by(column(RECORD))
    with kept_engine(stage.folders, spills, limits) as con:
        return np.asarray(con.execute(sql(query)).fetchnumpy()["record"], dtype=np.int64)


def count_reasons(
    stage: Stage, spills: Path, limits: Limits = Limits(), among: Numbers | None = None
) -> list[ReasonCount]:
    """The reasons of all quarantined records, or of those `among` given numbers; most records first."""
    without_values = template(
        "list_transform(:r, lambda __item: "
        "struct_pack(rule := __item.rule, name := __item.name, phrase := __item.phrase))",
        r=column(names.REASONS),
    )
    # most records share their reasons with others: these are counted together, and then taken apart
    query = template(
        "SELECT reason.rule, reason.name, reason.phrase, sum(n) AS records FROM"
        " (SELECT unnest(list_distinct(reasons)) AS reason, n FROM"
        " (SELECT reasons, count(*) AS n FROM :items GROUP BY reasons) AS alike) AS each"
        " GROUP BY ALL ORDER BY records DESC, 1, 2, 3",
        items=_among(_quarantined(stage).select(without_values.as_("reasons")), among).subquery("items"),
    )
    with _asked(stage, spills, limits, among) as con:
        rows = con.execute(sql(query)).fetchall()
    return [ReasonCount(rule, name, phrase, int(records)) for rule, name, phrase, records in rows]


def count_files(
    stage: Stage, spills: Path, limits: Limits = Limits(), among: Numbers | None = None
) -> list[tuple[int, int]]:
    """How many quarantined records come from each source file (its place from 0; -1: a rule made the record)."""
    rows = _among(_quarantined(stage).select(template("coalesce(:f, -1)", f=column(FILE)).as_("file")), among)
    query = template("SELECT file, count(*) FROM :rows GROUP BY 1 ORDER BY 1", rows=rows.subquery("rows"))
    with _asked(stage, spills, limits, among) as con:
        return [(int(file), int(records)) for file, records in con.execute(sql(query)).fetchall()]


def _quarantined(stage: Stage) -> exp.Select:
    is_apart = template(":s = 'quarantined'", s=column(names.STATE))
    return exp.select().from_(read_parquet(stage.files)).where(is_apart)


def _among(query: exp.Select, among: Numbers | None) -> exp.Select:
    if among is None:
        return query
    return query.where(is_chosen())


@contextmanager
def _asked(stage: Stage, spills: Path, limits: Limits, among: Numbers | None) -> Iterator[Connection]:
    with kept_engine(stage.folders, spills, limits) as con:
        if among is None:
            yield con
            return
        know_chosen(con, among)
        yield con
        con.unregister(CHOSEN)
