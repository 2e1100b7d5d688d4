"""Look up columns from another table."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlglot import exp

from pravin_core.errors import RulebookError
from pravin_core.rules.base import Example, Part, TableCorrection, as_text, joined, text
from pravin_core.rules.expanding import expanded
from pravin_core.rules.labels import OTHERWISE, THOSE
from pravin_core.rules.reshaping import Reference, Table, TableTransform
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import GONE, RECORD, Column
from pravin_core.tables.names import cells_changed, cells_failed, failed_text, reference
from pravin_core.tables.types import SQL_TYPES


class KeyMatch(BaseModel):
    """A column of the delivery and the column of the other table that must say the same."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    code: str = Field(min_length=1, max_length=2000)
    meaning: str = Field(min_length=1, max_length=2000)


class LookUp(TableCorrection):
    """Keys are compared as text; a missing part matches nothing. Of several matches the first is taken, or each makes a
    record. Records without a match are counted and keep missing values, are quarantined, or removed; "matched" can
    also be removed, which keeps only those that the other table does not have.
    """

    title = "Look up columns"
    group = "Table"
    about = "Finds for each record the matching one of a reference table and adds columns of it; or keeps or removes what matches."
    synonyms = (
        "join", "left join", "inner join", "lookup", "merge tables", "enrich", "match",
        "reference table",
    )  # fmt: skip
    examples = (
        Example(
            rule={"reference": "sites", "keys": [{"code": "s", "meaning": "code"}], "take": ["river"]},
            before={"s": ["1", "9", None], "v": ["x", "y", "z"]},
            after={"s": ["1", "9", None], "v": ["x", "y", "z"], "river": ["Merrow", None, None]},
            references={"sites": {"code": ["1", "1", None], "river": ["Merrow", "Alder", "none"]}},
        ),
        Example(
            rule={
                "reference": "sites",
                "keys": [{"code": "s", "meaning": "code"}],
                "take": ["river"],
                "several": "each",
            },
            before={"s": ["1", "9", None]},
            after={"s": ["1", "1", "9", None], "river": ["Merrow", "Alder", None, None]},
            references={"sites": {"code": ["1", "1", None], "river": ["Merrow", "Alder", "none"]}},
        ),
        Example(
            rule={
                "reference": "sites",
                "keys": [{"code": "s", "meaning": "code"}],
                "alike": True,
                "unmatched": "remove",
            },
            before={"s": ["wq 1", "9", None]},
            after={"s": ["wq 1"]},
            references={"sites": {"code": ["WQ1"]}},
        ),
        Example(
            rule={"reference": "sites", "keys": [{"code": "s", "meaning": "code"}], "unmatched": "keep only"},
            before={"s": ["1", "9", None]},
            after={"s": ["9", None]},
            references={"sites": {"code": ["1"]}},
        ),
    )

    adds_records = True
    kind: Literal["look-up"] = "look-up"
    reference: str = Field(
        min_length=1, max_length=200, title="In the table", json_schema_extra={"widget": "reference"}
    )
    keys: tuple[KeyMatch, ...] = Field(
        min_length=1, max_length=10, title="Where columns match", json_schema_extra={"widget": "codes"}
    )
    take: tuple[str, ...] = Field(
        default=(), max_length=500, title="Columns to add", json_schema_extra={"widget": "names"}
    )
    prefix: str = Field(
        default="", max_length=60, title="Beginning of their names", json_schema_extra={"empty": "as they are"}
    )
    alike: bool = Field(default=False, title="Ignore letter case and spaces", json_schema_extra={"widget": "switch"})
    several: Literal["first", "each"] = Field(
        default="first",
        title="Of several matches",
        json_schema_extra={"widget": "choice", "labels": {"each": "each makes a record"}},
    )
    unmatched: Literal["missing", "quarantine", "remove", "keep only"] = Field(
        default="missing",
        title="Records without a match",
        json_schema_extra={"widget": "choice", "labels": {**OTHERWISE, **THOSE}},
    )

    def needs(self) -> tuple[str, ...]:
        return tuple(key.code for key in self.keys)

    def sentence(self) -> list[Part]:
        what = joined(self.take) if self.take else [text("records")]
        parts = [text("Look up "), *what, text(" in "), Part(text=self.reference, data=True), text(" where ")]
        for at, key in enumerate(self.keys):
            parts += [
                *([text(" and ")] if at else []),
                Part(text=key.code, data=True),
                text(" is its "),
                Part(text=key.meaning, data=True),
            ]
        rest = {
            "missing": "", "quarantine": "; records without a match are quarantined",
            "remove": "; records without a match are removed", "keep only": "; only records without a match are kept",
        }[self.unmatched]  # fmt: skip
        return [*parts, text(f"{'; each match makes a record' if self.several == 'each' else ''}{rest}.")]

    def reshape(self, table: Table) -> TableTransform:
        other = table.references[self.reference]
        theirs = {column.name: column for column in other.columns}
        for name in (*(key.meaning for key in self.keys), *self.take):
            if name not in theirs:
                raise RulebookError(f"The table {self.reference!r} has no column {name!r}.", rule=self.id, column=name)
        own = {column.name.lower() for column in table.columns}
        new = tuple(Column(self.prefix + name, theirs[name].type) for name in self.take)
        for each_column in new:
            if each_column.name.lower() in own:
                raise RulebookError(
                    f"The column {each_column.name!r} is there already.",
                    rule=self.id,
                    column=each_column.name,
                    advice="Give its names a beginning.",
                )
        return self._each(table, other, new) if self.several == "each" else self._first(table, other, new)

    def _keys(self, sides: Sequence[str], alias: str | None = None) -> list[exp.Expr]:
        """The cells of a key as texts to compare."""
        cells = [as_text(col(name, alias)) for name in sides]
        return [
            template("key_text(:c)", c=cell) if self.alike else template("nullif(:c, '')", c=cell) for cell in cells
        ]

    def _found(self, other: Reference) -> exp.Select:
        """One row for each key: the values of its first record, and all of them as a list."""
        keys = [exp.alias_(key, f"__key{at}") for at, key in enumerate(self._keys([key.meaning for key in self.keys]))]
        cells = [
            exp.PropertyEQ(this=exp.to_identifier(f"c{at}"), expression=col(name)) for at, name in enumerate(self.take)
        ]
        cells.append(exp.PropertyEQ(this=exp.to_identifier("at"), expression=col(RECORD)))
        whole = exp.alias_(exp.Struct(expressions=cells), "__whole")
        rows = exp.select(*keys, whole, col(RECORD)).from_(reference(self.reference))
        names_ = [exp.column(f"__key{at}") for at in range(len(self.keys))]
        matches = exp.select(*names_, template("list(__whole ORDER BY :r) AS __all", r=col(RECORD))).from_(
            rows.subquery("theirs")
        )
        for name in names_:
            matches = matches.where(template(":k IS NOT NULL", k=name))
        return matches.group_by(*names_)

    def _joined(self, table: Table, other: Reference) -> exp.Select:
        """The table with the list of matches of each record."""
        matches = self._found(other)
        on = exp.and_(*(
            exp.EQ(this=key, expression=exp.column(f"__key{at}", table="found"))
            for at, key in enumerate(self._keys([key.code for key in self.keys], "t"))
        ))  # fmt: skip
        known = [
            col(RECORD, "t"),
            col("__file", "t"),
            col("__line", "t"),
            *(col(column.name, "t") for column in table.columns),
            *(col(n, "t") for n in table.system_columns),
        ]
        source = exp.to_table(table.name).as_("t")
        return (
            exp.select(*known, exp.column("__all", table="found"))
            .from_(source)
            .join(matches.subquery("found"), on=on, join_type="left")
        )

    def _tracing(self, table: Table) -> dict[str, exp.Expr]:
        """What becomes of the records by whether they have a match."""
        missed = template("__all IS NULL AND :live", live=table.live)
        number = exp.Literal.number(table.number)
        tracing: dict[str, exp.Expr] = {
            cells_changed(table.number): template(
                "CASE WHEN __all IS NOT NULL AND :live THEN 1 ELSE 0 END", live=table.live
            ),
            cells_failed(table.number): template("CASE WHEN :m THEN 1 ELSE 0 END", m=missed),
        }
        if self.unmatched in ("remove", "keep only"):
            goes = missed if self.unmatched == "remove" else template("__all IS NOT NULL AND :live", live=table.live)
            tracing[GONE] = template("CASE WHEN :goes THEN :n ELSE :g END", goes=goes, n=number, g=col(GONE))
        elif self.unmatched == "quarantine":
            key = exp.Anonymous(
                this="concat_ws", expressions=[exp.Literal.string(", "), *(as_text(col(key.code)) for key in self.keys)]
            )
            tracing[failed_text(table.number, 0)] = template("CASE WHEN :m THEN :k END", m=missed, k=key)
        return tracing

    def _ends(self, table: Table) -> tuple[tuple[str, ...], tuple[tuple[str, str], ...]]:
        carried = (cells_changed(table.number), cells_failed(table.number))
        if self.unmatched != "quarantine":
            return carried, ()
        lost = failed_text(table.number, 0)
        return (*carried, lost), ((", ".join(key.code for key in self.keys), lost),)

    def _first(self, table: Table, other: Reference, new: tuple[Column, ...]) -> TableTransform:
        step = table.step(1)
        cells = [
            *table.cells(),
            *(
                (column, _typed(f"struct_extract(list_extract(__all, 1), 'c{at}')", column))
                for at, column in enumerate(new)
            ),
        ]
        result = table.select(cells, self._tracing(table), exp.to_table(step))
        carried, lost = self._ends(table)
        return TableTransform(
            ((step, self._joined(table, other)), (table.step(2), result)),
            (*table.columns, *new),
            len(new),
            carried,
            lost,
        )

    def _each(self, table: Table, other: Reference, new: tuple[Column, ...]) -> TableTransform:
        step, fated = table.step(8), table.step(9)
        tracing = self._tracing(table)
        carried, lost = self._ends(table)
        everything = table.select(table.cells(), {**tracing, "__all": exp.column("__all")}, exp.to_table(step))
        windowed = replace(table, name=fated, system_columns=(*table.system_columns, *carried))
        cells = [
            *windowed.cells(),
            *((column, _typed(f"struct_extract(__item, 'c{at}')", column)) for at, column in enumerate(new)),
        ]
        shaped = expanded(windowed, exp.column("__all"), (*table.columns, *new), cells)
        return replace(
            shaped, steps=((step, self._joined(table, other)), (fated, everything), *shaped.steps), changed_columns=len(new),
            system_columns=carried, conversion_failures=lost,
        )  # fmt: skip


def _typed(part: str, column: Column) -> exp.Expr:
    return exp.cast(template(part), SQL_TYPES[column.type])


KIND = LookUp
