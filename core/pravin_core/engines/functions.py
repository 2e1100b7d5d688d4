"""Functions of our own inside the engine: over whole vectors of texts at once, never text by text.

`shape_of` and `marks_of` look at the bytes of a vector with one table lookup; only texts that hold letters beyond
ASCII take the way of regular expressions.
"""

from __future__ import annotations

from enum import IntFlag
from typing import Any

import duckdb
import numpy as np
import pyarrow
import pyarrow.compute
from duckdb.func import ARROW

pa: Any = pyarrow
pc: Any = pyarrow.compute
Texts = Any  # an Arrow array of texts, chunked or not
Numbers = np.ndarray[Any, Any]

LONGEST_SHAPE = 40
LONG = "longer than 40 characters"


class Mark(IntFlag):
    """What characters a text holds. E stands apart from the letters: numbers may hold it."""

    DIGIT = 1
    LETTER = 2
    E = 4
    SPACE = 8
    DOT = 16
    COMMA = 32
    SIGN = 64
    SLASH = 128
    COLON = 256
    CONTROL = 512
    BACKSLASH = 1024
    WIDE = 2048
    COMPARE = 4096
    AT = 8192
    AMPERSAND = 16384
    OTHER = 32768
    OUTER_SPACE = 65536


def _table() -> Numbers:
    marks = np.full(256, Mark.OTHER, dtype=np.int32)
    marks[:32] = marks[127] = Mark.CONTROL
    marks[128:] = Mark.WIDE
    for characters, mark in (
        ("0123456789", Mark.DIGIT), (" ", Mark.SPACE), (".", Mark.DOT), (",", Mark.COMMA), ("+-", Mark.SIGN),
        ("/", Mark.SLASH), (":", Mark.COLON), ("\\", Mark.BACKSLASH), ("<>~=", Mark.COMPARE), ("@", Mark.AT),
        ("&%", Mark.AMPERSAND), ("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ", Mark.LETTER), ("eE", Mark.E),
    ):  # fmt: skip
        marks[np.frombuffer(characters.encode(), dtype=np.uint8)] = mark
    return marks


_MARKS = _table()
_SHAPE = np.arange(256, dtype=np.uint8)
_SHAPE[ord("0") : ord("9") + 1] = ord("9")
_SHAPE[ord("a") : ord("z") + 1] = ord("a")
_SHAPE[ord("A") : ord("Z") + 1] = ord("A")
_SMALL = np.arange(256, dtype=np.uint8)
_SMALL[ord("A") : ord("Z") + 1] += 32
_CAPITAL = np.arange(256, dtype=np.uint8)
_CAPITAL[ord("a") : ord("z") + 1] -= 32
_IN_WORDS = (_MARKS & (Mark.LETTER | Mark.E | Mark.DIGIT)) > 0
_IN_WORDS[ord("'")] = True
_SPACES = np.zeros(256, dtype=bool)
_SPACES[[9, 10, 11, 12, 13, 32]] = True


def register(con: duckdb.DuckDBPyConnection) -> None:
    """Make the functions known to a connection, before its configuration is locked."""
    con.create_function("shape_of", shape_of, ["VARCHAR"], "VARCHAR", type=ARROW)
    con.create_function("words_of", words_of, ["VARCHAR"], "INTEGER", type=ARROW)
    con.create_function("words_capital_in_ascii", words_capital_in_ascii, ["VARCHAR"], "VARCHAR", type=ARROW)
    con.create_function("marks_of", marks_of, ["VARCHAR"], "INTEGER", type=ARROW)


def words_capital_in_ascii(texts: Texts) -> Any:
    """Each word of ASCII texts with a capital, the other letters small; words are letters, digits and apostrophes."""
    array, data, offsets = plain(texts)
    begins = _IN_WORDS[data]
    inside = np.empty_like(begins)
    inside[:1] = False
    inside[1:] = begins[:-1]
    starts = offsets[:-1]
    inside[starts[starts < len(data)]] = False
    small = _SMALL[data]
    written = np.where(begins & ~inside, _CAPITAL[small], small)
    return pa.Array.from_buffers(pa.string(), len(array), [None, pa.py_buffer(offsets), pa.py_buffer(written)])


def shape_of(texts: Texts) -> Any:
    """The shape of each text: digits as 9, letters as a or A, everything else as it is; long texts share one."""
    array, data, offsets = plain(texts)
    lengths = np.diff(offsets)
    buffers: Any = [None, pa.py_buffer(offsets), pa.py_buffer(_SHAPE[data])]
    shapes = pa.Array.from_buffers(pa.string(), len(array), buffers)
    if (data >= 128).any():
        wide = pc.not_equal(pc.binary_length(array), pc.utf8_length(array))
        by_letter = array.filter(wide)
        for pattern, letter in ((r"\p{Nd}", "9"), (r"\p{Lu}|\p{Lt}", "A"), (r"\p{Ll}", "a")):
            by_letter = pc.replace_substring_regex(by_letter, pattern, letter)
        shapes = pc.replace_with_mask(shapes, wide, by_letter)
        lengths = pc.utf8_length(array).to_numpy(zero_copy_only=False)
    long = lengths > LONGEST_SHAPE
    return pc.if_else(pa.array(long), LONG, shapes) if long.any() else shapes


def marks_of(texts: Texts) -> Any:
    """The Marks of each text as a number."""
    array, data, offsets = plain(texts)
    starts, ends = offsets[:-1], offsets[1:]
    filled = ends > starts
    marks = np.zeros(len(array), dtype=np.int32)
    if filled.any():
        classes = np.append(_MARKS[data], np.int32(0))
        # a text of no characters would be given the class at its place, so only filled ones are looked at
        marks[filled] = np.bitwise_or.reduceat(classes, starts[filled])
        outer = _SPACES[data[starts[filled]]] | _SPACES[data[ends[filled] - 1]]
        marks[filled] |= np.where(outer, np.int32(Mark.OUTER_SPACE), np.int32(0))
    return pa.array(marks)


def words_of(texts: Texts) -> Any:
    """The words of each text: runs of characters between spaces, tabs and line breaks."""
    array, data, offsets = plain(texts)
    starts, ends = offsets[:-1], offsets[1:]
    filled = ends > starts
    marks = np.zeros(len(array), dtype=np.int32)
    if filled.any():
        inside = ~_SPACES[data]
        begins = inside.copy()
        begins[1:] &= ~inside[:-1]
        begins[starts[filled]] = inside[starts[filled]]
        marks[filled] = np.add.reduceat(np.append(begins, False).astype(np.int32), starts[filled])
    return pa.array(marks)


def plain(texts: Texts) -> tuple[Any, Numbers, Numbers]:
    """One array of texts without missing ones, its bytes, and where each text begins and the last one ends."""
    array = texts.combine_chunks() if isinstance(texts, pa.ChunkedArray) else texts
    if isinstance(array, pa.ChunkedArray):
        array = pa.concat_arrays(array.chunks) if array.num_chunks else pa.array([], pa.string())
    if array.type != pa.string():
        array = array.cast(pa.string())
    places: Any
    bytes_: Any
    _, places, bytes_ = array.buffers()
    offsets = np.frombuffer(places, dtype=np.int32)[array.offset : array.offset + len(array) + 1]
    first = int(offsets[0])
    data = np.frombuffer(bytes_ or b"", dtype=np.uint8)[first : int(offsets[-1])]
    return array, data, offsets - np.int32(first)
