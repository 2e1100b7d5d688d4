"""What kind of thing a text is, its shape, marks and words: against plain Python, for drawn texts of any letters."""

from __future__ import annotations

import math
import re
import unicodedata
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import Any

import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.engines.functions import LONG, LONGEST_SHAPE, Mark, marks_of, shape_of, words_of
from pravin_core.engines.kinds import (
    GUESSED_FORMS,
    MISSING_TOKENS,
    TRUTH,
    is_numeric,
    kind_of,
    kinds_of_shapes,
    moment_of,
)
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables.dates import FORMS, pattern, shape_pattern

ASCII = st.text(st.characters(min_codepoint=32, max_codepoint=126), max_size=24)
PIECES = st.lists(
    st.sampled_from(
        ["0", "7", "12", "2024", "31", "-", ".", ",", "/", ":", " ", "e", "E", "+", "x", "Mar", "T", "n/a", "yes", "999", "\t", "é", "٣", "²", "\u00a0"]
    ),
    max_size=8,
).map("".join)  # fmt: skip
ANY = st.one_of(ASCII, PIECES, st.text(max_size=50))


@pytest.fixture(scope="module")
def engine(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Any]:
    with connect([], Path(tmp_path_factory.mktemp("engine"))) as con:
        know_operations(con)
        yield con


def asked(engine: Any, expression: Any, texts: list[str]) -> list[Any]:
    """An expression over `t` for each text."""
    engine.register("texts", pa.table({"t": pa.array(texts, pa.string()), "place": list(range(len(texts)))}))
    rows = engine.execute(f"SELECT {sql(expression)} FROM texts ORDER BY place").fetchall()
    engine.unregister("texts")
    return [value for (value,) in rows]


SPACES = "".join(c for c in map(chr, range(0x10000)) if unicodedata.category(c) == "Zs")


def as_date(text: str, with_time: bool) -> bool:
    """Whether Python reads a text in one of the forms, and it is written as that form is."""
    for form in GUESSED_FORMS:
        if form.has_time != with_time:
            continue
        try:
            datetime.strptime(text, form.format)
        except ValueError:
            continue
        if len(re.split(r"\D+", text)[0]) in (1, 2, 4) and text.isascii():
            return True
    return False


def kind(text: str) -> str:
    """The kind of a text, by plain Python."""
    bare = text.strip(SPACES)
    if not text:
        return "missing"
    if len(bare) <= 300 and bare.isascii():
        if re.fullmatch(r"[+-]?\d+", bare):
            return "whole number"
        if re.fullmatch(r"[+-]?(\d+\.\d*|\.\d+|\d+)([eE][+-]?\d+)?", bare) and math.isfinite(float(bare)):
            return "decimal"
        if re.fullmatch(r"[+-]?\d+,\d+", bare):
            return "decimal comma"
    if len(bare) <= 40 and not re.search("[0-9]", text):
        if bare.lower() in ("", *MISSING_TOKENS):
            return "missing token"
        if bare.lower() in TRUTH:
            return "true/false"
    return "date" if as_date(bare, False) else "date-time" if as_date(bare, True) else "text"


EXAMPLES = {
    "": "missing", " ": "missing token", "n/a": "missing token", " N/A ": "missing token", "-": "missing token", "7": "whole number",
    "+7": "whole number", "007": "whole number", " 7 ": "whole number", "7.": "decimal", ".5": "decimal", "1e5": "decimal",
    "1e999": "text", "7,4": "decimal comma", "1,234,567": "text", "1_000": "text", "0x1F": "text", "NaN": "missing token", "inf": "text",
    "2024-03-17": "date", "2024-02-30": "text", "17.3.2024": "date", "31/04/2024": "text", "17 Mar 2024": "date", "17 march 2024": "date",
    "2024-03-17 09:40": "date-time", "2024-03-17T09:40:00": "date-time", "2024-03-17 24:00": "text", "20240317": "whole number",
    "yes": "true/false", "N": "true/false", "maybe": "text", "٣": "text", "½": "text", "7 mg": "text", "9" * 300: "whole number", "9" * 301: "text",
}  # fmt: skip


def test_the_kinds_of_known_texts(engine: Any) -> None:
    assert dict(zip(EXAMPLES, asked(engine, kind_of(column("t")), list(EXAMPLES)), strict=True)) == EXAMPLES


@settings(max_examples=150)
@given(texts=st.lists(ANY, min_size=1, max_size=12))
def test_kinds_are_those_of_plain_python(engine: Any, texts: list[str]) -> None:
    texts = [text.replace("\x00", "") for text in texts]
    result = asked(engine, kind_of(column("t")), texts)
    for text, item in zip(texts, result, strict=True):
        kind_ = kind(text)
        if kind_ in ("date", "date-time") or item in (
            "date",
            "date-time",
        ):  # Python takes one or two digits where we take two
            assert item in (kind_, "text"), text
        else:
            assert item == kind_, repr(text)
    numeric = asked(engine, is_numeric(column("t")), texts)
    assert numeric == [item in ("whole number", "decimal", "decimal comma") for item in result]


@settings(max_examples=150)
@given(texts=st.lists(st.one_of(ASCII, PIECES.filter(str.isascii)), min_size=1, max_size=20))
def test_a_shape_tells_only_kinds_that_all_its_texts_have(engine: Any, texts: list[str]) -> None:
    texts = [text for text in texts if text and "\x00" not in text and text.isascii()] or ["x"]
    result = kinds_of_shapes(shape_of(pa.array(texts))).to_pylist()
    found_result = asked(engine, kind_of(column("t")), texts)
    assert [item for item in result if item is not None] == [
        item for item, result in zip(found_result, result, strict=True) if result is not None
    ]


@given(texts=st.lists(ANY, max_size=12))
def test_shapes_marks_and_words_are_those_of_plain_python(texts: list[str]) -> None:
    def letter(c: str) -> str:
        category = unicodedata.category(c)
        return {"Nd": "9", "Lu": "A", "Lt": "A", "Ll": "a"}.get(category, c)

    known = pa.array(texts, pa.string())
    shapes = shape_of(known).to_pylist()
    for text, shape in zip(texts, shapes, strict=True):
        if all(unicodedata.category(c) != "Cn" for c in text):  # letters that this Python knows
            assert shape == (LONG if len(text) > LONGEST_SHAPE else "".join(map(letter, text))), repr(text)
    marks = marks_of(known).to_pylist()
    for text, mark in zip(texts, marks, strict=True):
        assert bool(mark & Mark.DIGIT) == bool(re.search("[0-9]", text))
        assert bool(mark & Mark.WIDE) == (not text.isascii())
        assert bool(mark & Mark.E) == ("e" in text or "E" in text)
        assert bool(mark & Mark.LETTER) == bool(re.search("[a-df-zA-DF-Z]", text))
        assert bool(mark & Mark.COMMA) == ("," in text)
    words = words_of(known).to_pylist()
    assert words == [
        len(re.split(r"[ \t\n\r\x0b\x0c]+", text.strip(" \t\n\r\x0b\x0c"))) if text.strip(" \t\n\r\x0b\x0c") else 0
        for text in texts
    ]


MOMENTS = st.datetimes(datetime(1000, 1, 1), datetime(9999, 12, 31)).map(lambda m: m.replace(second=0, microsecond=0))


@pytest.mark.parametrize("form", FORMS, ids=lambda form: form.format)
@settings(max_examples=25)
@given(moments=st.lists(MOMENTS, min_size=1, max_size=8))
def test_each_form_of_dates_is_read_as_it_is_written(form: Any, engine: Any, moments: list[datetime]) -> None:
    texts = [f"{moment:{form.format}}".zfill(0) for moment in moments]
    texts = [
        re.sub(
            r"(?<!\d)(\d{1,3})(?=$| |T|-\d\d-)",
            lambda m: m[0].zfill(4) if "%Y" in form.format and len(m[0]) > 2 else m[0],
            text,
        )
        for text in texts
    ]
    kept = [(text, moment) for text, moment in zip(texts, moments, strict=True) if moment.year >= 1000]
    if not kept:
        return
    read = asked(engine, moment_of(column("t"), [form.format]), [text for text, _ in kept])
    expected = [moment if form.has_time else moment.replace(hour=0, minute=0) for _, moment in kept]
    assert read == expected
    shapes = shape_of(pa.array([text for text, _ in kept])).to_pylist()
    assert all(re.fullmatch(shape_pattern(form.format), shape) for shape in shapes)
    assert all(re.fullmatch(pattern(form.format), text) for text, _ in kept)


def test_the_first_form_that_fits_reads_a_text(engine: Any) -> None:
    both = asked(
        engine, moment_of(column("t"), ["%d/%m/%Y", "%m/%d/%Y"]), ["03/04/2024", "12/31/2024", "31/12/2024", "x"]
    )
    assert both == [datetime(2024, 4, 3), datetime(2024, 12, 31), datetime(2024, 12, 31), None]


@pytest.mark.parametrize("code", ["%q", "%Y-%j", "%-d", "%"])
def test_a_code_of_dates_that_is_not_known_is_refused(code: str) -> None:
    with pytest.raises(ValueError, match="is not supported"):
        pattern(code)


def test_an_empty_list_of_texts_has_no_shapes(engine: Any) -> None:
    nothing = pa.array([], pa.string())
    assert (shape_of(nothing).to_pylist(), marks_of(nothing).to_pylist(), words_of(nothing).to_pylist()) == ([], [], [])
    assert asked(engine, template("length(:t)", t=column("t")), []) == []
