"""What rules share that look up the records of another table."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field
from pydantic.config import JsonDict
from sqlglot import exp

from pravin_core.errors import RulebookError
from pravin_core.rules.base import Part, TableCorrection, joined, text, text_of
from pravin_core.rules.expanding import expanded
from pravin_core.rules.reshaping import Reference, Table, TableTransform
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import GONE, RECORD, Column
from pravin_core.tables.names import cells_changed, cells_failed, failed_text
from pravin_core.tables.types import SQL_TYPES

_WITHOUT: JsonDict = {
    "missing": "stay, without values", "quarantine": "are quarantined", "remove": "are removed", "keep only": "are the only ones kept",
}  # fmt: skip


class KeyMatch(BaseModel):
    """A column of the delivery and the column of the other table that must say the same."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    code: str = Field(min_length=1, max_length=2000)
    meaning: str = Field(min_length=1, max_length=2000)


def pairs_in_words(keys: Sequence[KeyMatch]) -> list[Part]:
    """The pairs of columns that must say the same, for a sentence."""
    parts: list[Part] = []
    for at, key in enumerate(keys):
        parts += [
            *([text(" and ")] if at else []),
            Part(text=key.code, data=True),
            text(" is its "),
            Part(text=key.meaning, data=True),
        ]
    return parts


class Matching(TableCorrection):
    """Which records of another table belong to a record of the delivery."""

    adds_records = True
    reference: str = Field(
        min_length=1, max_length=200, title="In the table", json_schema_extra={"widget": "reference"}
    )
    keys: tuple[KeyMatch, ...] = Field(
        default=(), max_length=10, title="Where columns match", json_schema_extra={"widget": "key pairs"}
    )


class LookUpBase(Matching):
    """What the kinds share that look for the matching records of another table: what they take over, and what becomes of the
    records without a match. A kind says how a match is recognised.
    """

    take: tuple[str, ...] = Field(
        default=(), max_length=500, title="Columns to add", json_schema_extra={"widget": "their columns"}
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
        json_schema_extra={"widget": "choice", "labels": _WITHOUT},
    )

    def needs(self) -> tuple[str, ...]:
        return (*(key.code for key in self.keys), *self.sizes())

    def sizes(self) -> tuple[str, ...]:
        """The columns of the delivery that are compared by size."""
        return ()

    def their_columns(self) -> tuple[str, ...]:
        """The columns of the other table that it looks at, beside those that it takes over."""
        return tuple(key.meaning for key in self.keys)

    def matches(self, table: Table, other: Reference) -> exp.Select:
        """One row for each key that may be asked for (`__key0` and so on), with the list of its matches as `__all`: structs of
        the columns taken over (c0 and so on) and the record number (at).
        """
        raise NotImplementedError

    def asked(self, table: Table, alias: str | None) -> list[exp.Expr]:
        """What a record asks for: the cells to compare with `__key0` and so on."""
        return self.key_texts([key.code for key in self.keys], table.columns, alias)

    def where(self) -> list[Part]:
        """How a match is recognised, in words."""
        return pairs_in_words(self.keys)

    def sentence(self) -> list[Part]:
        what = joined(self.take) if self.take else [text("records")]
        parts = [text("Look up "), *what, text(" in "), Part(text=self.reference, data=True), text(" where ")]
        parts += self.where()
        rest = {
            "missing": "", "quarantine": "; records without a match are quarantined",
            "remove": "; records without a match are removed", "keep only": "; only records without a match are kept",
        }[self.unmatched]  # fmt: skip
        return [*parts, text(f"{'; each match makes a record' if self.several == 'each' else ''}{rest}.")]

    def reshape(self, table: Table) -> TableTransform:
        other = table.references[self.reference]
        theirs = {column.name: column for column in other.columns}
        for name in (*self.their_columns(), *self.take):
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

    def key_texts(self, sides: Sequence[str], columns: Sequence[Column], alias: str | None = None) -> list[exp.Expr]:
        """The cells of a key as texts to compare."""
        cells = [text_of(name, columns, alias) for name in sides]
        return [
            template("key_text(:c)", c=cell) if self.alike else template("nullif(:c, '')", c=cell) for cell in cells
        ]

    def wholes(self, other: Reference) -> tuple[list[exp.Expr], exp.Expr]:
        """The keys of the other table's records, and what is taken over of each as a struct."""
        keys = self.key_texts([key.meaning for key in self.keys], other.columns)
        cells = [
            exp.PropertyEQ(this=exp.to_identifier(f"c{at}"), expression=col(name)) for at, name in enumerate(self.take)
        ]
        cells.append(exp.PropertyEQ(this=exp.to_identifier("at"), expression=col(RECORD)))
        return keys, exp.Struct(expressions=cells)

    def _joined(self, table: Table, other: Reference) -> exp.Select:
        """The table with the list of matches of each record."""
        on = exp.and_(*(
            exp.EQ(this=key, expression=exp.column(f"__key{at}", table="matches"))
            for at, key in enumerate(self.asked(table, "t"))
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
            exp.select(*known, exp.column("__all", table="matches"))
            .from_(source)
            .join(self.matches(table, other).subquery("matches"), on=on, join_type="left")
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
                this="concat_ws",
                expressions=[exp.Literal.string(", "), *(text_of(name, table.columns) for name in self.needs())],
            )
            tracing[failed_text(table.number, 0)] = template("CASE WHEN :m THEN :k END", m=missed, k=key)
        return tracing

    def _ends(self, table: Table) -> tuple[tuple[str, ...], tuple[tuple[str, str], ...]]:
        carried = (cells_changed(table.number), cells_failed(table.number))
        if self.unmatched != "quarantine":
            return carried, ()
        lost = failed_text(table.number, 0)
        return (*carried, lost), ((", ".join(self.needs()), lost),)

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
