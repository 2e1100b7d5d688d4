"""Rows of Arrow as PostgreSQL reads them fastest: the binary form of COPY, made column by column.

The form is that of PostgreSQL's manual, "COPY, Binary Format"; what a value looks like in it is what the `_recv` functions of the types
read. Numbers go into `numeric` with the digits as they are written, never as the nearest of fifteen digits.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute

pc: Any = pyarrow.compute

HEADER = b"PGCOPY\n\xff\r\n\0" + bytes(8)
TRAILER = b"\xff\xff"
_LENGTH = 4  # bytes before each value that say how many it has; -1 where there is none
_TOGETHER = 1 << 25  # bytes of a batch that are made at once; well below what one array of Arrow can hold
_DAYS = (date(2000, 1, 1) - date(1970, 1, 1)).days  # PostgreSQL counts from 2000
_DAY = 86_400_000_000  # microseconds
_DIGITS = 15  # so many digits of a number tell one double from every other (DBL_DIG)
_NEGATIVE, _NAN, _INFINITE, _BELOW = 0x4000, 0xC000, 0xD000, 0xF000

Column = pa.Array
Whole = npt.NDArray[Any]  # of numbers without a sign


@dataclass(frozen=True)
class Cells:
    """A column's values: each its length and what stands there, of one size; which are none and keep their length only; or, where
    sizes differ, the lengths alone and the text that follows.
    """

    values: npt.NDArray[Any]
    missing: npt.NDArray[np.bool_] | None = None
    text: Column | None = None


Encode = Callable[[Column], Cells]


def encoders(schema: pa.Schema, types: Sequence[str]) -> list[Encode] | None:
    """What makes each column's values those of its type in the database (as PostgreSQL names it); None where one cannot be made so."""
    found = [_encoder(field.type, kind) for field, kind in zip(schema, types, strict=True)]
    return None if None in found else [each for each in found if each is not None]


def rows(batch: pa.RecordBatch, encode: Sequence[Encode]) -> list[pa.Buffer]:
    """A batch as rows of the binary form, in pieces."""
    if batch.nbytes > _TOGETHER and batch.num_rows > 1:
        half = batch.num_rows // 2
        return [*rows(batch.slice(0, half), encode), *rows(batch.slice(half), encode)]
    if not batch.num_rows:
        return []
    parts, run = [], [Cells(np.full(batch.num_rows, len(encode), ">i2"))]
    for column, encoder in zip(batch.columns, encode, strict=True):
        run.append(cells := encoder(column))
        if cells.text is not None:
            parts += [_joined(run), cells.text]
            run = []
    if run:
        parts.append(_joined(run))
    nothing = pa.scalar(b"", pa.binary())
    result = pc.binary_join_element_wise(*parts, nothing, null_handling="replace", null_replacement="")
    _, offsets, data = result.buffers()
    first, last = np.frombuffer(offsets, np.int32)[[result.offset, result.offset + len(result)]]
    return [data.slice(int(first), int(last - first))]


def _joined(run: Sequence[Cells]) -> Column:
    """Cells of columns beside each other, as bytes; of a value that is none there is its length only."""
    sizes = [each.values.itemsize for each in run]
    unit = 1 if any(size % 2 for size in sizes) else 2  # bytes that are moved at once
    views = [each.values.view(f"u{unit}").reshape(len(each.values), -1) for each in run]
    together = np.concatenate(views, axis=1)
    lengths = np.full(len(together), sum(sizes), np.int32)
    keep = None
    for each, size, end in zip(run, sizes, np.cumsum(sizes), strict=True):
        if each.missing is not None:
            keep = np.ones(together.shape, np.bool_) if keep is None else keep
            keep[each.missing, (end - size + _LENGTH) // unit : end // unit] = False
            lengths -= each.missing * np.int32(size - _LENGTH)
    data: Any = np.ascontiguousarray(together) if keep is None else together[keep]
    offsets: Any = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int32)
    return pa.Array.from_buffers(pa.binary(), len(lengths), [None, pa.py_buffer(offsets), pa.py_buffer(data)])


def _encoder(values: pa.DataType, kind: str) -> Encode | None:
    if pa.types.is_string(values) and (kind == "text" or kind.startswith("character varying")):
        return _text
    if pa.types.is_int64(values) and kind == "bigint":
        return lambda column: _fixed(column, _numbers(column), ">i8")
    if pa.types.is_date32(values) and kind == "date":
        return lambda column: _fixed(column, _numbers(column.cast(pa.int32())) - _DAYS, ">i4")
    if pa.types.is_date32(values) and kind == "timestamp without time zone":
        return lambda column: _fixed(column, (_numbers(column.cast(pa.int32())).astype(np.int64) - _DAYS) * _DAY, ">i8")
    if (
        pa.types.is_timestamp(values)
        and values.unit == "us"
        and values.tz is None
        and kind == "timestamp without time zone"
    ):
        return lambda column: _fixed(column, _numbers(column.cast(pa.int64())) - _DAYS * _DAY, ">i8")
    if pa.types.is_boolean(values) and kind == "boolean":
        return lambda column: _fixed(column, _numbers(column.cast(pa.uint8())), ">u1")
    if kind.startswith("numeric"):
        if pa.types.is_int64(values):
            return _whole
        if pa.types.is_float64(values):
            return _double
        if pa.types.is_decimal128(values) and values.scale >= 0:
            return _decimal
    return None


def _text(column: Column) -> Cells:
    buffer: Any = column.buffers()[1]
    offsets = np.frombuffer(buffer, np.int32)[column.offset :][: len(column) + 1]
    lengths = np.diff(offsets).astype(">i4")
    if column.null_count:
        lengths[column.is_null().to_numpy(zero_copy_only=False)] = -1
    return Cells(lengths, text=column.cast(pa.binary()))


def _fixed(column: Column, values: npt.NDArray[Any], form: str) -> Cells:
    cells = np.empty(len(values), np.dtype([("length", ">i4"), ("value", form)]))
    cells["length"], cells["value"] = np.dtype(form).itemsize, values
    return _present(column, cells)


def _whole(column: Column) -> Cells:
    values = _numbers(column)
    return _numeric(column, [_size(values)], 0, 0, np.where(values < 0, _NEGATIVE, 0))


def _double(column: Column) -> Cells:
    values = column.to_numpy(zero_copy_only=False)  # not a number where one is missing
    finite, sign = np.isfinite(values), np.where(values < 0, _NEGATIVE, 0)
    size = np.abs(values)
    if not finite.all():
        sign[values == np.inf], sign[values == -np.inf], sign[np.isnan(values)] = _INFINITE, _BELOW, _NAN
        size[~finite] = 0.0
    digits, scale, shown = _few_digits(size) or _all_digits(size)
    return _numeric(column, [digits], scale, shown, sign)


def _few_digits(size: npt.NDArray[np.float64]) -> tuple[Whole, int, Any] | None:
    """Numbers as whole ones of a common scale, and the scale of each as it is written; None where 15 digits do not tell them all.

    A decimal of at most fifteen digits that is nearest to a double is the shortest way to write it: no two of them share a double.
    """
    largest, scale = float(size.max(initial=0.0)), 0
    for part in (size[:500], size):  # a few tell soonest which scale is too small for all
        while scale <= _DIGITS and largest * 10.0**scale < 10.0**_DIGITS:
            digits = np.rint(part * 10.0**scale)
            if np.array_equal(digits / 10.0**scale, part):
                break
            scale += 1
        else:
            return None
    whole = digits.astype(np.uint32 if max(largest, 1) * 10.0**scale < 2**32 else np.uint64)
    unit: Any = whole.dtype.type
    shown = np.full(len(whole), scale, np.int16)
    for power in range(1, scale + 1):
        shown -= whole % unit(10**power) == 0
    return whole, scale, shown


def _all_digits(size: npt.NDArray[np.float64]) -> tuple[Whole, Any, Any]:
    """The digits of numbers as they are written, each with a scale of its own."""
    text = pa.array(size).cast(pa.string())
    exponent = np.zeros(len(size), np.int64)
    at = _numbers(pc.find_substring(text, "e"))
    if (at >= 0).any():
        split = pc.split_pattern(text, "e", max_splits=1)
        text = pc.list_element(split, 0)
        has_exponent = pa.array(at >= 0)
        tail = pc.list_element(pc.if_else(has_exponent, split, pa.scalar(["", "0"])), 1)
        exponent = _numbers(pc.utf8_ltrim(tail, "+").cast(pa.int64()))
    dot = _numbers(pc.find_substring(text, "."))
    after_dot = np.where(dot >= 0, _numbers(pc.utf8_length(text)) - dot - 1, 0)
    plain = pc.replace_substring(text, ".", "")
    digits = pc.utf8_rtrim(plain, "0")
    scale = after_dot - (_numbers(pc.utf8_length(plain)) - _numbers(pc.utf8_length(digits))) - exponent
    whole = _numbers(pc.if_else(pc.equal(digits, ""), "0", digits).cast(pa.uint64()))
    scale = np.where(whole == 0, 0, scale)
    return whole, scale, np.maximum(scale, 0)


def _decimal(column: Column) -> Cells:
    filled = pc.abs(column.fill_null(0))
    low, high = np.frombuffer(filled.buffers()[1], np.uint64).reshape(-1, 2)[filled.offset :][: len(filled)].T
    limbs = [high >> 32, high & 0xFFFFFFFF, low >> 32, low & 0xFFFFFFFF]
    negative = _numbers(pc.less(column, 0).cast(pa.uint8())) == 1
    return _numeric(column, limbs, column.type.scale, column.type.scale, np.where(negative, _NEGATIVE, 0))


def _numeric(column: Column, limbs: Sequence[Whole], scale: Any, shown: Any, sign: npt.NDArray[Any]) -> Cells:
    """Whole numbers (parts of 32 bits, highest first, or one of 64) divided by ten to the scale, as digits to the base 10,000."""
    groups = _groups(limbs, (-np.asarray(scale)) % 4)
    form = np.dtype([("length", ">i4"), ("groups", ">i2"), ("weight", ">i2"), ("sign", ">u2"), ("scale", ">i2"),
                     ("digits", ">i2", (len(groups),))])  # fmt: skip
    cells = np.empty(len(sign), form)
    cells["length"], cells["groups"] = form.itemsize - 4, len(groups)
    cells["weight"] = len(groups) - 1 + (-np.asarray(scale)) // 4
    cells["sign"], cells["scale"] = sign, shown
    for at, group in enumerate(reversed(groups)):
        cells["digits"][:, at] = group
    return _present(column, cells)


def _groups(limbs: Sequence[Whole], shift: Any) -> list[Whole]:
    """Digits to the base 10,000, lowest first, of whole numbers times ten to the shift (0 to 3, one or each its own)."""
    whole = limbs[0].dtype.type
    times: Any = np.asarray(10**shift).astype(whole)[()]
    unit: Any = whole(10_000) // times
    groups: list[Whole] = []
    while True:
        rest: Any = None
        quotients = []
        for limb in limbs:
            dividend = limb if rest is None else (rest << whole(32)) | limb
            quotient = dividend // unit
            rest = dividend - quotient * unit
            quotients.append(quotient)
        groups.append(rest if groups else rest * times)
        limbs, unit = quotients, whole(10_000)
        if not any(limb.any() for limb in limbs):
            return groups


def _size(values: npt.NDArray[np.int64]) -> Whole:
    """Sizes without a sign, also of the smallest number that there is."""
    bits = values.astype(np.uint64)
    return np.where(values < 0, ~bits + np.uint64(1), bits)


def _numbers(column: Column) -> npt.NDArray[Any]:
    """The values of a column of numbers, 0 where one is missing."""
    result: npt.NDArray[Any] = (column.fill_null(0) if column.null_count else column).to_numpy(zero_copy_only=False)
    return result


def _present(column: Column, cells: npt.NDArray[Any]) -> Cells:
    """Cells, those of values that are none with the length that says so."""
    if not column.null_count:
        return Cells(cells)
    missing = column.is_null().to_numpy(zero_copy_only=False)
    cells["length"][missing] = -1
    return Cells(cells, missing)
