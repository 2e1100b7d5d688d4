"""The words and characters of a column of texts, counted over all its cells; asked for when somebody looks."""

from __future__ import annotations

from pathlib import Path

from pydantic import BaseModel, ConfigDict
from sqlglot import exp

from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import connect
from pravin_core.errors import RunError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.model import ValueCount
from pravin_core.sql.statements import read_parquet, temporary_table
from pravin_core.sql.trees import sql, template

SHOWN = 40
WORD = r"[\p{L}\p{N}]+"


class WordCount(ValueCount):
    """A word, the cells that hold it, and the pattern that opens these."""

    pattern: str


class Words(BaseModel):
    """Words (runs of letters and digits, letter case aside) with the cells that hold them, and characters with how often they
    stand anywhere, spaces aside; the most frequent ones, and how many different ones there are.
    """

    model_config = ConfigDict(frozen=True)

    words: tuple[WordCount, ...]
    different_words: int
    characters: tuple[ValueCount, ...]
    different_characters: int


def words_of(snapshot: Snapshot, column: str, scratch: Path, limits: Limits = Limits()) -> Words:
    """Count the words and characters of a column. Raises RunError for an unknown column."""
    if column not in snapshot.columns:
        raise RunError(f"There is no column {column!r}.", column=column, advice="Choose another column.")
    with connect([snapshot.folder], scratch, limits) as con:
        cell = text_of(column)
        texts = exp.select(exp.alias_(cell, "text"), "count(*) AS n").from_(read_parquet(snapshot.parts))
        con.execute(sql(temporary_table("texts", texts.where(template(":c <> ''", c=cell)).group_by(cell.copy()))))
        expression = template("unnest(list_distinct(regexp_extract_all(lower(text), :p)))", p=exp.Literal.string(WORD))
        each = exp.select("unnest(string_split(text, '')) AS part", "n").from_("texts")
        words, different = _most(con, exp.select(exp.alias_(expression, "part"), "n").from_("texts"))
        characters, others = _most(con, each)
    word_counts = tuple(
        WordCount(value=word.value, count=word.count, pattern=_pattern_of(word.value)) for word in words
    )
    return Words(words=word_counts, different_words=different, characters=characters, different_characters=others)


def _most(con: Connection, parts: exp.Select) -> tuple[tuple[ValueCount, ...], int]:
    counted = exp.select("part", "CAST(sum(n) AS BIGINT) AS cells", "count(*) OVER () AS every").from_(
        parts.subquery("p")
    )
    counted = counted.where(r"NOT regexp_full_match(part, '[\s\p{Z}]*')").group_by("part")
    rows = con.execute(sql(counted.order_by("cells DESC", "part").limit(SHOWN))).fetchall()
    return tuple(ValueCount(value=part, count=cells) for part, cells, _ in rows), rows[0][2] if rows else 0


def _pattern_of(word: str) -> str:
    return rf"(?i)(?:^|[^\p{{L}}\p{{N}}]){word}(?:[^\p{{L}}\p{{N}}]|$)"
