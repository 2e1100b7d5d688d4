"""Typing the parts of one formula: what each must be, and where it stands when it is not."""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlglot import exp

from pravin_core.errors import FormulaError
from pravin_core.formulas.functions import (
    ANY,
    DATE,
    LIST,
    MOMENT,
    NUMBER,
    TEXT,
    TRUTH,
)
from pravin_core.sql.written import written
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

MISSING = "missing"
EXACT = "exact number"  # of a column of exact decimals; a number wherever one is wanted
OF_COLUMNS = {
    DataType.TEXT: TEXT, DataType.WHOLE: NUMBER, DataType.DECIMAL: NUMBER, DataType.EXACT: EXACT, DataType.BOOLEAN: TRUTH,
    DataType.DATE: DATE, DataType.DATETIME: MOMENT,
}  # fmt: skip
AS_COLUMNS = {TEXT: DataType.TEXT, NUMBER: DataType.DECIMAL, EXACT: DataType.EXACT, TRUTH: DataType.BOOLEAN, DATE: DataType.DATE,
              MOMENT: DataType.DATETIME, MISSING: DataType.TEXT}  # fmt: skip
WORDS = {TEXT: "text", NUMBER: "a number", EXACT: "a number", DATE: "a date", MOMENT: "a date with its time", TRUTH: "true or false", LIST: "a list",
         MISSING: "missing"}  # fmt: skip
HOW = {
    (TEXT, NUMBER): "to_number(…) reads a text as a number.",
    (TEXT, DATE): "to_date(…, '%Y-%m-%d') reads a text as a date.",
    (TEXT, MOMENT): "to_date(…, '%Y-%m-%d') reads a text as a date.",
    (TEXT, TRUTH): "Compare it with something, as in x = 'yes', or use to_truth(…).",
    (NUMBER, TEXT): "to_text(…) writes a number as text.",
    (DATE, TEXT): "to_text(…) or write_date(…, '%d.%m.%Y') writes a date as text.",
    (MOMENT, TEXT): "to_text(…) or write_date(…, '%d.%m.%Y') writes a date as text.",
    (NUMBER, TRUTH): "Compare it with something, as in x > 0.",
}


@dataclass(frozen=True)
class Typed:
    """A part: its expression and type; `exact` is the same as an exact decimal, for numbers that are one (written out, or of
    a column of whole numbers).
    """

    expression: exp.Expr
    type: str
    exact: exp.Expr | None = None

    def copy(self) -> Typed:
        """The same with expressions of its own."""
        return Typed(self.expression.copy(), self.type, None if self.exact is None else self.exact.copy())

    @property
    def as_exact(self) -> exp.Expr | None:
        return self.expression if self.type == EXACT else self.exact


class Checking:
    """Types the parts of one formula and makes their expressions."""

    def __init__(
        self, text: str, columns: Sequence[Column], parts: Mapping[type[exp.Expr], Part], sees_others: bool = False
    ) -> None:
        self.text, self._parts = text, parts
        self.sees_others = sees_others  # whether parts may look at other records
        self.columns: Mapping[str, Column] = {column.name: column for column in columns}
        self.read: dict[str, None] = {}
        self._known: dict[int, tuple[exp.Expr, Typed]] = {}  # with the node, so that no other takes its id

    def wrong(self, node: exp.Expr, message: str, advice: str) -> FormulaError:
        """The error at a part."""
        start, end = self.place(node)
        return FormulaError(message, start=start, end=end, advice=advice)

    def place(self, node: exp.Expr) -> tuple[int, int]:
        """From where to where a part stands, as far as its names and texts tell; else all of the formula."""
        spans = [
            (each_node.meta["start"], each_node.meta["end"] + 1)
            for each_node in node.walk()
            if "start" in each_node.meta
        ]
        for literal in node.find_all(exp.Literal):
            if "start" not in literal.meta:
                shown = "'" + literal.this.replace("'", "''") + "'" if literal.is_string else literal.this
                if self.text.count(shown) == 1:
                    spans.append((self.text.index(shown), self.text.index(shown) + len(shown)))
        if not spans:
            return 0, len(self.text)
        start, end = min(start for start, _ in spans), max(end for _, end in spans)
        if isinstance(node, exp.Anonymous) and self.text[end:].lstrip().startswith("("):
            end = self.text.index("(", end) + 1
        while isinstance(node, exp.Anonymous) and self.text[start:end].count("(") > self.text[start:end].count(")"):
            end = self.text.index(")", end) + 1 if ")" in self.text[end:] else len(self.text)
        return start, end

    def of(self, node: exp.Expr) -> Typed:
        """The typed expression of a part. Raises FormulaError, also for an argument of the part that is not read here:
        what the parser understood and nobody reads would silently give another result.
        """
        if id(node) in self._known:  # each part is read once, however often it is asked for
            return self._known[id(node)][1].copy()
        part = self._parts.get(type(node))
        unread = [name for name, value in node.args.items() if value and (part is None or name not in part.arguments)]
        if part is None or unread:
            start, end = self.place(node)
            raise self.wrong(
                node,
                f"“{self.text[start:end][:60]}” cannot be used in a formula.",
                "Use columns, texts, numbers, operators and the listed functions.",
            )
        typed = part.make(self, node)
        self._known[id(node)] = (node, typed)
        return typed.copy()

    def as_text(self, node: exp.Expr, what: str) -> exp.Expr:
        """The expression of a part as text: numbers, dates and truths as they are written."""
        typed = self.of(node)
        if typed.type == LIST:
            raise self.wrong(node, f"{what} cannot write a list.", "join_items(…, ', ') writes a list as one text.")
        if typed.type in (TEXT, MISSING):
            return exp.cast(typed.expression, "VARCHAR") if typed.type == MISSING else typed.expression
        return written(typed.expression, AS_COLUMNS[typed.type])

    def fitting(self, node: exp.Expr, wanted: str, what: str) -> exp.Expr:
        """The expression of a part that must have a type."""
        typed = self.of(node)
        if typed.type == EXACT and wanted == NUMBER:
            return exp.cast(typed.expression, "DOUBLE")
        if typed.type in (wanted, MISSING) or wanted == ANY or (wanted == MOMENT and typed.type == DATE):
            return typed.expression
        if wanted in (DATE, MOMENT) and (day := _written_day(node)):
            return day.expression
        advice = HOW.get((typed.type, wanted), f"Put {WORDS[wanted]} here.")
        raise self.wrong(node, f"{what} needs {WORDS[wanted]}; this is {WORDS[typed.type]}.", advice)

    def alike(self, nodes: Sequence[exp.Expr], what: str) -> tuple[list[exp.Expr], str]:
        """The expressions of parts that must all have one type, and that type."""
        typed = [self.of(node) for node in nodes]
        types = {operand.type for operand in typed} - {MISSING}
        if TEXT in types and types & {DATE, MOMENT}:  # as SQL does: a day written out is one beside a date
            typed = [_written_day(node) or operand for node, operand in zip(nodes, typed, strict=True)]
            types = {operand.type for operand in typed} - {MISSING}
        if EXACT in types and types <= {NUMBER, EXACT}:
            exact = [operand.expression if operand.type == MISSING else operand.as_exact for operand in typed]
            if None not in exact:
                return [operand for operand in exact if operand is not None], EXACT
            return [exp.cast(operand.expression, "DOUBLE") for operand in typed], NUMBER
        if types == {DATE, MOMENT}:
            return [exp.cast(operand.expression, "TIMESTAMP") for operand in typed], MOMENT
        if len(types) > 1:
            first = next(operand.type for operand in typed if operand.type != MISSING)
            other = next(at for at, operand in enumerate(typed) if operand.type not in (first, MISSING))
            texts = sum(operand.type == TEXT for operand in typed)
            if first == TEXT and texts == 1 and not isinstance(nodes[0], exp.Literal):  # a text can be read otherwise
                first, other = typed[other].type, 0
            raise self.wrong(
                nodes[other], f"{what} needs things of one kind; this is {WORDS[typed[other].type]}, beside it stands {WORDS[first]}.",
                _beside(nodes[other], first) or HOW.get((typed[other].type, first)) or HOW.get((first, typed[other].type)) or "Write both as the same kind.",
            )  # fmt: skip
        return [operand.expression for operand in typed], next(iter(types), MISSING)


def _written_day(node: exp.Expr) -> Typed | None:
    """A text written out as year-month-day, with a time or without, as the date it is."""
    if not (isinstance(node, exp.Literal) and node.is_string):
        return None
    text = str(node.this).strip()
    try:
        datetime.fromisoformat(text)
    except ValueError:
        return None
    if re.fullmatch(r"\d{4}-\d{2}-\d{2}", text):
        return Typed(exp.cast(exp.Literal.string(text), "DATE"), DATE)
    if re.fullmatch(r"\d{4}-\d{2}-\d{2}[ T]\d{2}:\d{2}(:\d{2}(\.\d{1,6})?)?", text):
        return Typed(exp.cast(exp.Literal.string(text.replace("T", " ")), "TIMESTAMP"), MOMENT)
    return None


def _beside(node: exp.Expr, kind: str) -> str:
    """What is advised where a part stands beside one of another kind."""
    if isinstance(node, exp.Literal) and node.is_string and not node.this.strip():
        return "A missing value is no empty text: write is null, or is not null."
    if kind == TRUTH:
        return "It holds or does not: write it alone, or not before it."
    if kind in (DATE, MOMENT) and isinstance(node, exp.Literal) and node.is_string:
        return "Write the day as '2024-03-17', or to_date('17.03.2024', '%d.%m.%Y')."
    return ""


def excerpt(node: exp.Expr) -> str:
    return node.sql(dialect="duckdb")[:60]


def nearest(name: str, known: Sequence[str]) -> str:
    lower = {text.lower(): text for text in known}
    close = difflib.get_close_matches(name.lower(), list(lower), n=1, cutoff=0.6)
    return f"Is “{lower[close[0]]}” meant?" if close else ""


Make = Callable[[Checking, exp.Expr], Typed]


@dataclass(frozen=True)
class Part:
    """How one type of node is read: the arguments that `make` looks at, and those that say nothing about the result."""

    make: Make
    arguments: frozenset[str]
