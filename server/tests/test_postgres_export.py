"""The statements exported for PostgreSQL give there what the run gives, for the examples of every kind of rule."""

from __future__ import annotations

import datetime as dt
import json
from decimal import Decimal
from pathlib import Path
from typing import Any

import duckdb
import pyarrow as pa
import pytest
from django.db import connection
from hypothesis import HealthCheck, given, settings
from sqlglot import exp

from pravin_core.compiler.plan import RunContext
from pravin_core.exports import postgres
from pravin_core.exports.sql import compiled, whole_duckdb
from pravin_core.formulas.functions import FUNCTIONS
from pravin_core.rules.base import Example, TableCheck
from pravin_core.rules.registry import KINDS
from pravin_core.rules.reshaping import Reference
from pravin_core.rules.rulebook import Rulebook
from pravin_core.tables.columns import Column
from testing.dangerous import tables
from testing.sql_formulas import AS_WRITTEN, COLUMNS, ROW

EXAMPLES = [(kind, example) for kind, item in KINDS.items() for example in item.examples]


def quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def fill(cursor: Any, name: str, cells: dict[str, list[str | None]]) -> None:
    """A table of texts with record numbers, as an analyst would load it."""
    columns = ", ".join(f"{quoted(cell)} text" for cell in cells)
    cursor.execute(f"CREATE TEMP TABLE {name} (__record bigint, __file smallint, __line bigint, {columns})")
    marks = ", ".join(["%s"] * (len(cells) + 3))
    rows = zip(*cells.values(), strict=True)
    cursor.executemany(
        f"INSERT INTO {name} VALUES ({marks})", [(at, 0, at, *row) for at, row in enumerate(rows, start=1)]
    )


def plain(value: Any) -> Any:
    if isinstance(value, Decimal):
        return f"{value.normalize():f}"
    return value.isoformat() if isinstance(value, dt.date) else value


def book(kind: str, example: Example) -> Rulebook:
    return Rulebook.model_validate({"rules": [*example.first, {"kind": kind, "id": "rule", **example.rule}]})


@pytest.mark.django_db
@pytest.mark.parametrize(("kind", "example"), EXAMPLES)
def test_examples_hold_in_postgresql(kind: str, example: Example) -> None:
    references = {
        name: Reference(exp.to_table(f"reference_file_{name}"), tuple(Column(cell) for cell in cells), "1")
        for name, cells in example.references.items()
    }
    result = compiled(
        book(kind, example), list(example.before), RunContext(references=references, delivered_on=dt.date(2024, 4, 2))
    )
    with connection.cursor() as cursor:
        fill(cursor, "delivered", example.before)
        for name, cells in example.references.items():
            fill(cursor, f"reference_file_{name}", cells)
        cursor.execute(postgres.whole(result).replace("%", "%%"), [])
        if issubclass(KINDS[kind], TableCheck):
            cursor.execute(postgres.translated(result.verdicts[0].query))
            seen, broken = cursor.fetchone()
            assert {"seen": [seen], "broken": [broken]} == example.after
            return
        part = "quarantined" if KINDS[kind].is_check else "all"
        where = "__state = 'quarantined'" if part == "quarantined" else "__gone IS NULL"
        cells = ", ".join(quoted(column.name) for column in result.plan.columns)
        order = "__place" if "__place" in result.plan.system_columns else "__record"
        cursor.execute(f"SELECT {cells} FROM result WHERE {where} ORDER BY {order}")
        rows = cursor.fetchall()
        results = {
            each_column.name: [plain(row[at]) for row in rows] for at, each_column in enumerate(result.plan.columns)
        }
        assert results == example.after
        cursor.execute("SELECT __reasons FROM quarantined ORDER BY __record")
        assert all(
            reason["rule"] == len(example.first) + 1
            for (reasons,) in cursor.fetchall()
            for reason in map(_parsed, reasons)
        )


def _parsed(reason: Any) -> Any:
    return json.loads(reason) if isinstance(reason, str) else reason


@pytest.mark.django_db
def test_functions_of_formulas_give_in_postgresql_what_they_give_in_the_engine(tmp_path: Path) -> None:
    from pravin_core.formulas.language import parse

    wrong = {}
    with connection.cursor() as cursor:
        cursor.execute(postgres.functions().replace("%", "%%"), [])
        for function in FUNCTIONS.values():
            result = parse(function.example, [])
            query = postgres.translated(exp.select(exp.alias_(result.expression, "x")))
            cursor.execute("SAVEPOINT s")
            try:
                cursor.execute(query.replace("%", "%%"), [])
                found_result = plain(cursor.fetchone()[0])
                if found_result != function.result:
                    wrong[function.name] = f"{found_result!r} for {function.result!r}"
            except Exception as error:
                wrong[function.name] = str(error).splitlines()[0]
                cursor.execute("ROLLBACK TO SAVEPOINT s")
    assert wrong == {}


@pytest.mark.django_db
def test_formulas_as_sql_give_in_postgresql_what_they_give_in_the_engine() -> None:
    from pravin_core.formulas.language import parse

    wrong = {}
    with connection.cursor() as cursor:
        cursor.execute(postgres.functions().replace("%", "%%"), [])
        cursor.execute(f"CREATE TEMP TABLE record AS SELECT {ROW.replace(' AS at', chr(32) + 'AS ' + quoted('at'))}")
        for formula, expected in AS_WRITTEN:
            tree = exp.select(exp.alias_(parse(formula, COLUMNS).expression, "x")).from_("record")
            cursor.execute("SAVEPOINT s")
            try:
                cursor.execute(postgres.translated(tree).replace("%", "%%"), [])
                given = cursor.fetchone()[0]
                if given != (pytest.approx(expected) if isinstance(expected, float) else expected):
                    wrong[formula] = f"{given!r} for {expected!r}"
            except Exception as error:
                wrong[formula] = str(error).splitlines()[0]
                cursor.execute("ROLLBACK TO SAVEPOINT s")
    assert wrong == {}


HOSTILE = [
    "x\n; DROP TABLE delivered; --",
    "a\r\nDROP TABLE delivered;",
    "\u2028DROP TABLE delivered;",
    "*/ ; -- '",
    "\x85DROP TABLE delivered;",
]


@pytest.mark.django_db
def test_statements_run_twice_and_nothing_of_a_value_or_note_becomes_one() -> None:
    rules = [
        {"kind": "replace-text", "id": f"r{at}", "columns": ["a"], "find": text, "replacement": "y", "note": text}
        for at, text in enumerate(HOSTILE)
    ]
    rules.append(
        {
            "kind": "record-count",
            "id": "n",
            "least": 1,
            "message": HOSTILE[0],
            "when": "a <> 'x\n; DROP TABLE delivered; --'",
        }
    )
    result = compiled(Rulebook.model_validate({"rules": rules}), ["a"])
    with connection.cursor() as cursor:
        cursor.execute("CREATE SCHEMA IF NOT EXISTS elsewhere; CREATE TABLE public.result (kept text)")
        fill(cursor, "delivered", {"a": ["x", HOSTILE[1]]})
        for _ in range(2):
            cursor.execute(postgres.whole(result).replace("%", "%%"), [])
        cursor.execute("SELECT a FROM result ORDER BY __record")
        assert cursor.fetchall() == [("x",), ("y",)]
        cursor.execute("SELECT count(*) FROM delivered")
        assert cursor.fetchone()[0] == 2
        cursor.execute("SELECT count(*) FROM public.result")  # a table of somebody else's stays
        assert cursor.fetchone()[0] == 0


@pytest.mark.django_db
@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(rows=tables())
def test_text_that_looks_dangerous_comes_out_of_postgresql_as_it_went_in(rows: list[tuple[str, str, str]]) -> None:
    text = rows[0][1] or "none"
    rules = [
        {"kind": "replace-text", "id": "r", "columns": ["third"], "find": text, "replacement": "=''\\ $$", "note": text}
    ]
    names = ("first", "second", "third")
    result = compiled(Rulebook.model_validate({"rules": rules}), names, RunContext(delivered_on=dt.date(2024, 4, 2)))
    with connection.cursor() as cursor:
        cursor.execute("DROP TABLE IF EXISTS pg_temp.delivered CASCADE")
        fill(cursor, "delivered", {name: [row[at] for row in rows] for at, name in enumerate(names)})
        cursor.execute(postgres.whole(result).replace("%", "%%"), [])
        cursor.execute("SELECT first, second, third FROM result ORDER BY __record")
        results = [tuple(cell or "" for cell in row) for row in cursor.fetchall()]  # nothing and an empty text are one
        assert results == [(a, b, c.replace(text, "=''\\ $$")) for a, b, c in rows]


OVER_GROUPS = [
    "sum(n) over (partition by g)", "sum(n) over (partition by g order by n)", "avg(n) over (partition by g)",
    "count(*) over (partition by g)", "min(t) over (partition by g)", "max(n) over ()", "median(n) over (partition by g)",
    "stddev(n) over ()", "row_number() over (partition by g order by n desc)", "rank() over (order by n desc)",
    "dense_rank() over (order by n)", "percent_rank() over (order by n)", "ntile(2) over (order by n)",
    "lag(t) over (order by n desc nulls first)", "lead(n, 2, -1) over (partition by g)", "first_value(t) over (partition by g)",
    "last_value(n) over (order by n)", "sum(n) over (rows between 1 preceding and 1 following)", "n - avg(n) over (partition by g)",
]  # fmt: skip


@pytest.mark.django_db
@pytest.mark.parametrize("formula", OVER_GROUPS)
def test_formulas_over_groups_give_in_postgresql_what_they_give_in_a_run(formula: str, tmp_path: Path) -> None:
    cells: dict[str, list[str | None]] = {
        "g": ["p", "q", None, "p", "p", "q"],
        "n": ["1", "0.1", "3", None, "3", "0.2"],
        "t": ["b", "a", None, "c", "b", "d"],
    }
    number = {"kind": "to-number", "id": "number", "columns": ["n"]}
    rules = Rulebook.model_validate(
        {"rules": [number, {"kind": "compute", "id": "over", "columns": ["x"], "formula": formula}]}
    )
    result = compiled(rules, list(cells))
    with connection.cursor() as cursor:
        fill(cursor, "delivered", cells)
        cursor.execute(postgres.whole(result).replace("%", "%%"), [])
        cursor.execute("SELECT x FROM result ORDER BY __record")
        there = [row[0] for row in cursor.fetchall()]
    with duckdb.connect() as con:
        con.register("delivered", pa.table(
            {"__record": range(1, 7), "__file": [0] * 6, "__line": range(1, 7)} | cells  # type: ignore[dict-item]
        ))  # fmt: skip
        con.execute(whole_duckdb(result))
        assert there == [row[0] for row in con.execute("SELECT x FROM result ORDER BY __record").fetchall()]
