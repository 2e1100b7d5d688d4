"""Escapes written out as text: \\t, \\n, HTML entities and line breaks."""

from __future__ import annotations

import html
import re
from collections.abc import Iterator
from urllib.parse import unquote

from pravin_core.engines.functions import Mark
from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import (
    Evidence,
    Finding,
    Kind,
    Rule,
    cells,
    listed,
    matching,
    of_column,
    translation,
)  # fmt: skip
from pravin_core.profiling.model import ColumnProfile
from pravin_core.records.filters import Filter, make_filter

KIND = Kind(
    "literal escape",
    r"Texts with \t, \n, \v, \", \u00e9, %20, HTML entities or <br> written out. Paths and web addresses are left aside.",
)
PATTERN = (
    r"\\[tnrvf\",;']|%(?:20|09|0[AaDd]|2C|2c|C3%[89ABab][0-9A-Fa-f])|\\u[0-9a-fA-F]{4}|\\x[0-9a-fA-F]{2}|&(?:amp|lt|gt|quot|apos|nbsp|#\d{2,5}|#x[0-9a-fA-F]{2,4}"
    r"|[aouAOU]uml|szlig|deg|micro|plusmn|[eaEA](?:acute|grave|circ)|ccedil);|<br ?/?>|_x000[AD]_"
)
_PATH = re.compile(r"^[A-Za-z]:\\|^\\\\|^\w+://|^www\.")
_SPACE = r"\\[tnrvf]|%20|%09|%0[AaDd]|&nbsp;"
_SPACES = rf"(?:\s*(?:{_SPACE}))+"
_MARKS = r"""\\([",;'])"""


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Escapes with what they stand for; tabs and line breaks become a space."""
    met = column_values.matching(PATTERN, Mark.BACKSLASH | Mark.AMPERSAND | Mark.COMPARE | Mark.OTHER)
    own = {v: n for v, n in met.values if not _PATH.match(v)}
    if not own:
        return
    count = met.cells if len(own) == len(met.values) else sum(own.values())
    only_spaces = all(not re.search(PATTERN, re.sub(_SPACE, "", v)) and "\\" not in re.sub(_SPACE, "", v) for v in own)
    rule: Rule | None
    paths = len(own) < len(met.values)  # which a rule for the whole column would damage
    ends = [bool(re.search(_SPACES + r"\s*$", v)) for v in own]  # a rule for both would leave spaces at the ends
    if only_spaces and not paths and len(set(ends)) == 1:
        at_end = all(re.search(_SPACES + r"\s*$", v) and len(re.findall(_SPACES, v)) == 1 for v in own)
        rule = {"kind": "replace-pattern", "columns": [column_values.name], "find": _SPACES + (r"\s*$" if at_end else r"\s*"),
                "replacement": "" if at_end else " "}  # fmt: skip
    elif not paths and not only_spaces and all(not re.search(PATTERN, re.sub(_MARKS, "", v)) for v in own):
        rule = {"kind": "replace-pattern", "columns": [column_values.name], "find": _MARKS, "replacement": r"\1"}
    else:
        rule = (
            translation(column_values.name, {v: decoded(v) for v in own}) if met.distinct <= len(met.values) else None
        )
    yield of_column(
        column_values, KIND, "middle", count, f"{cells(count)} with escapes written out: {listed(list(own))}",
        evidence=[Evidence(value=v, count=n, becomes=decoded(v)) for v, n in own.items()],
        filters=_door(column_values.name, paths), rule=rule,
    )  # fmt: skip


def _door(name: str, paths: bool) -> tuple[Filter, ...]:
    met = matching(name, PATTERN)
    return (*met, make_filter("none of", of=matching(name, _PATH.pattern))) if paths else met


def decoded(value: str) -> str:
    """A text with its escapes read; tabs and line breaks become one space, none at the ends."""
    value = re.sub(r"\\u([0-9a-fA-F]{4})|\\x([0-9a-fA-F]{2})", lambda m: chr(int(m[1] or m[2], 16)), value)
    value = re.sub(_SPACES + r"\s*|\s*(?:<br ?/?>|_x000[AD]_)+\s*", " ", value)
    if re.search(r"%(?:2[Cc]|C3%)", value):
        value = unquote(value)
    return re.sub(_MARKS, r"\1", html.unescape(value)).strip()
