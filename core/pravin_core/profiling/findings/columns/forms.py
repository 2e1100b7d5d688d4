"""Values that break the form that nearly all of their column have: an e-mail address without @, a code with a digit too few."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import (
    Evidence,
    Finding,
    Kind,
    Rule,
    cells,
    listed,
    of_column,
    values_behind,
)
from pravin_core.profiling.findings.columns.personal import MAIL, PHONE, reads_as_phones
from pravin_core.profiling.findings.formulas import quoted
from pravin_core.profiling.model import ColumnProfile
from pravin_core.records.filters import Filter, make_filter
from pravin_core.tables.types import DataType, Role

KIND = Kind(
    "breaks the form of its column",
    "Cells of another form than the column: of e-mail addresses, web addresses, telephone numbers, UUIDs, IP addresses "
    "and times of the day by their patterns, of account numbers (IBAN, ISO 13616) and payment cards (ISO/IEC 7812) by their check digits, where at least "
    "8 in 10 cells have it; of codes, where 95 in 100 have it, by which characters follow each other, however many of each.",
)
AFTER = True  # what another finding explains (a token for missing, a space at the end) breaks no form
ENOUGH = 0.95  # of codes, whose form is only inferred
ENOUGH_KNOWN = 0.8
CLOCK = r"^\s*(?:[01]?\d|2[0-3]):[0-5]\d(?::[0-5]\d(?:[.,]\d+)?)?\s*$"
FORMS = {
    "an e-mail address": MAIL,
    "a web address": r"(?i)^\s*(?:https?://|www\.)[^\s/]+\.[^\s]+\s*$",
    "a UUID": r"(?i)^\s*\{?[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}\}?\s*$",
    "a telephone number": PHONE,
    "a time of day": CLOCK,
    "hours and minutes": r"^\s*\d{1,4}:[0-5]\d(?::[0-5]\d(?:[.,]\d+)?)?\s*$",
    "an IP address": r"^\s*(?:(?:25[0-5]|2[0-4]\d|1?\d?\d)\.){3}(?:25[0-5]|2[0-4]\d|1?\d?\d)\s*$",
}
CHECKED = {  # whose check digits tell more than a pattern: what they look like, and the formula that tests them
    "an account number with a right check number (IBAN)": (r"^\s*[A-Za-z]{2}\d{2}[ A-Za-z0-9]{11,40}$", "is_iban"),
    "a card number with a right check digit": (r"^\s*\d(?:[ -]?\d){12,18}\s*$", "is_card_number"),
}
_BEYOND_A_DAY = r"^\s*(?:2[4-9]|[3-9]\d|\d{3,4}):[0-5]\d"
SOME = 0.02
_CLASSES = {"9": "[0-9]+", "A": "[A-Z]+", "a": "[a-z]+"}


def find(column_values: ColumnValues, column: ColumnProfile, findings: Sequence[Finding]) -> Iterator[Finding]:
    """All cells that break the form, with the check of its pattern."""
    if column_values.present < 20:
        return
    for name, (likely, function) in CHECKED.items():
        if column_values.match_rate(likely) >= 0.7:
            yield from _unchecked(column_values, column, findings, name, function)
            return
    if column.type is not DataType.TEXT:
        return
    known = next(((name, form) for name, form in FORMS.items() if _is_of(column_values, form)), None)
    name, pattern = known or ("of the form of the others", _form_of_codes(column_values, column))
    if not pattern:
        return
    breaks = make_filter("none of", of=(make_filter("column", name=column.name, test="matches", value=pattern),))
    rule = {"kind": "matches-pattern", "columns": [column.name], "pattern": pattern.removeprefix("^").removesuffix("$")}
    yield from _made(column_values, column, findings, name, breaks, rule, ENOUGH_KNOWN if known else ENOUGH)


def _unchecked(
    column_values: ColumnValues, column: ColumnProfile, findings: Sequence[Finding], name: str, function: str
) -> Iterator[Finding]:
    """Numbers whose check digits do not hold, in a column where they hold in most."""
    condition = f"{function}({quoted(column)})"
    rule = {"kind": "holds", "columns": [column.name], "formula": condition}
    yield from _made(
        column_values, column, findings, name, make_filter("formula", value=f"not {condition}"), rule, ENOUGH_KNOWN
    )


def _made(
    column_values: ColumnValues, column: ColumnProfile, findings: Sequence[Finding], name: str, breaks: Filter, rule: Rule,
    enough: float,
) -> Iterator[Finding]:  # fmt: skip
    door = [make_filter("column", name=column.name, test="filled"), breaks]
    values, door = values_behind(column_values, column, door, findings)
    values = [(value, n) for value, n in values if value.strip()]
    count = sum(n for _, n in values)
    if not count or count > (1 - enough) * column_values.present:
        return
    is_sure = enough == ENOUGH_KNOWN and count <= 0.01 * column_values.present
    yield of_column(
        column_values, KIND, "high" if is_sure else "middle", count,
        f"{cells(count)} {'is' if count == 1 else 'are'} not {name}: {listed([value for value, _ in values])}",
        evidence=[Evidence(value=value, count=n) for value, n in values[:12]], filters=door, rule=rule,
    )  # fmt: skip


def _is_of(column_values: ColumnValues, form: str) -> bool:
    also = _ALSO.get(form)
    if column_values.match_rate(form) < 0.7 or (also and not also(column_values)):
        return False
    return column_values.matching(form).cells >= ENOUGH_KNOWN * column_values.present


def _within_a_day(column_values: ColumnValues) -> bool:
    """Whether hours beyond a day are mistakes: they hardly ever come."""
    return column_values.matching(_BEYOND_A_DAY).cells <= max(2, SOME * column_values.present)


_ALSO = {PHONE: reads_as_phones, CLOCK: _within_a_day}  # what else must hold where a column is to be of a form


def _form_of_codes(column_values: ColumnValues, column: ColumnProfile) -> str:
    """The pattern of a column of codes that nearly all follow; empty where there is none."""
    if column.role is not Role.IDENTIFIER or column.text is None or column.text.mean_words > 1.2:
        return ""
    shapes: dict[str, int] = {}
    for shape in column_values.shapes:
        if shape.kind not in ("missing token",):
            collapsed = re.sub(r"(.)\1+", r"\1", shape.shape)
            shapes[collapsed] = shapes.get(collapsed, 0) + shape.cells
    if not shapes:
        return ""
    usual, most = max(shapes.items(), key=lambda item: item[1])
    if most < ENOUGH * column_values.present or "9" not in usual or not usual.isascii():
        return ""
    return "^" + "".join(_CLASSES.get(mark) or re.escape(mark) for mark in usual) + "$"
