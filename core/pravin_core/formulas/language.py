"""Check a formula against the columns, and make the engine's expression of it.

A formula is one SQL expression over the columns of a record. Only what is listed here and in `functions` may stand in it:
no queries, no functions that see files, other records or the outside. Everything else is refused with its position.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import pyarrow
import pyarrow.compute
from sqlglot import exp

from pravin_core.errors import FormulaError
from pravin_core.formulas.functions import (
    ANY,
    DATE,
    FORM,
    FUNCTIONS,
    LIST,
    MARK,
    MOMENT,
    NUMBER,
    PATTERN,
    SAME,
    TEXT,
    TRUTH,
    WRITTEN_OUT,
    Argument,
    Function,
)  # fmt: skip
from pravin_core.formulas.reading import Formulas, read
from pravin_core.sql.trees import column as named
from pravin_core.sql.trees import template
from pravin_core.sql.written import written
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

MOST_MADE = 5000
MISSING = "missing"
EXACT = "exact number"  # of a column of exact decimals; a number wherever one is wanted
OF_COLUMNS = {
    DataType.TEXT: TEXT, DataType.WHOLE: NUMBER, DataType.DECIMAL: NUMBER, DataType.EXACT: EXACT, DataType.BOOLEAN: TRUTH,
    DataType.DATE: DATE, DataType.DATETIME: MOMENT,
}  # fmt: skip
MOST_NAMED_TWICE = 400  # parts of a sum that are computed twice, to know its digits; beyond it 15 digits are kept
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
class Formula:
    """A checked formula: the engine's expression, its type as a column, and the columns it reads."""

    expression: exp.Expr
    type: DataType
    reads: tuple[str, ...]


@dataclass(frozen=True)
class _Typed:
    """A part: its expression and type; `exact` is the same as an exact decimal, for numbers that are one (written out, or of
    a column of whole numbers).
    """

    made: exp.Expr
    type: str
    exact: exp.Expr | None = None

    @property
    def as_exact(self) -> exp.Expr | None:
        return self.made if self.type == EXACT else self.exact


def parse(text: str, columns: Sequence[Column]) -> Formula:
    """Check a formula over columns. Raises FormulaError with the place of what is wrong."""
    tree = read(text)
    checking = _Checking(text, columns)
    typed = checking.of(tree)
    if typed.type == LIST:
        raise checking.wrong(tree, "The result is a list.", "join_items(…, ', ') writes a list as one text.")
    made = typed.made
    if typed.type == TEXT:
        made = template("nullif(:x, '')", x=made)
    elif typed.type == NUMBER:
        made = template("CASE WHEN isfinite(:x) THEN :x END", x=made)
    elif typed.type == MISSING:
        made = exp.cast(made, "VARCHAR")
    return Formula(made, AS_COLUMNS[typed.type], tuple(checking.read))


def condition(text: str, columns: Sequence[Column]) -> Formula:
    """Check a formula that must be true or false."""
    found = parse(text, columns)
    if found.type is not DataType.BOOLEAN:
        raise FormulaError(
            f"The condition gives {WORDS[OF_COLUMNS[found.type]]}; it must hold or not.", start=0, end=len(text),
            advice="Compare it with something, as in ph > 7.",
        )  # fmt: skip
    return found


def placed(expression: exp.Expr, cells: Mapping[str, exp.Expr]) -> exp.Expr:
    """A formula's expression with its columns read from elsewhere, such as another table of a join."""

    def put(node: exp.Expr) -> exp.Expr:
        return cells.get(node.name, node).copy() if isinstance(node, exp.Column) else node

    made: exp.Expr = expression.transform(put)
    return made


class _Checking:
    """Types the parts of one formula and makes their expressions."""

    def __init__(self, text: str, columns: Sequence[Column]) -> None:
        self.text = text
        self.columns: Mapping[str, Column] = {one.name: one for one in columns}
        self.read: dict[str, None] = {}
        self._known: dict[int, _Typed] = {}

    def wrong(self, node: exp.Expr, message: str, advice: str) -> FormulaError:
        """The error at a part."""
        start, end = self.place(node)
        return FormulaError(message, start=start, end=end, advice=advice)

    def place(self, node: exp.Expr) -> tuple[int, int]:
        """From where to where a part stands, as far as its names and texts tell; else all of the formula."""
        spans = [(one.meta["start"], one.meta["end"] + 1) for one in node.walk() if "start" in one.meta]
        for one in node.find_all(exp.Literal):
            if "start" not in one.meta:
                shown = "'" + one.this.replace("'", "''") + "'" if one.is_string else one.this
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

    def of(self, node: exp.Expr) -> _Typed:
        """The typed expression of a part. Raises FormulaError, also for an argument of the part that is not read here:
        what the parser understood and nobody reads would silently give another result.
        """
        if known := self._known.get(id(node)):  # each part is read once, however often it is asked for
            exact = None if known.exact is None else known.exact.copy()
            return _Typed(known.made.copy(), known.type, exact)
        part = _PARTS.get(type(node))
        unread = [name for name, value in node.args.items() if value and (part is None or name not in part.arguments)]
        if part is None or unread:
            start, end = self.place(node)
            raise self.wrong(
                node,
                f"“{self.text[start:end][:60]}” cannot be used in a formula.",
                "Use columns, texts, numbers, operators and the listed functions.",
            )
        made = part.make(self, node)
        self._known[id(node)] = made
        return _Typed(made.made.copy(), made.type, None if made.exact is None else made.exact.copy())

    def fitting(self, node: exp.Expr, wanted: str, what: str) -> exp.Expr:
        """The expression of a part that must have a type."""
        typed = self.of(node)
        if typed.type == EXACT and wanted == NUMBER:
            return exp.cast(typed.made, "DOUBLE")
        if typed.type in (wanted, MISSING) or wanted == ANY or (wanted == MOMENT and typed.type == DATE):
            return typed.made
        advice = HOW.get((typed.type, wanted), f"Put {WORDS[wanted]} here.")
        raise self.wrong(node, f"{what} needs {WORDS[wanted]}; this is {WORDS[typed.type]}.", advice)

    def alike(self, nodes: Sequence[exp.Expr], what: str) -> tuple[list[exp.Expr], str]:
        """The expressions of parts that must all have one type, and that type."""
        typed = [self.of(node) for node in nodes]
        types = {one.type for one in typed} - {MISSING}
        if EXACT in types and types <= {NUMBER, EXACT}:
            exact = [one.made if one.type == MISSING else one.as_exact for one in typed]
            if None not in exact:
                return [one for one in exact if one is not None], EXACT
            return [exp.cast(one.made, "DOUBLE") for one in typed], NUMBER
        if types == {DATE, MOMENT}:
            return [exp.cast(one.made, "TIMESTAMP") for one in typed], MOMENT
        if len(types) > 1:
            first = next(one.type for one in typed if one.type != MISSING)
            other = next(at for at, one in enumerate(typed) if one.type not in (first, MISSING))
            texts = sum(one.type == TEXT for one in typed)
            if first == TEXT and texts == 1 and not isinstance(nodes[0], exp.Literal):  # a text can be read otherwise
                first, other = typed[other].type, 0
            raise self.wrong(
                nodes[other], f"{what} needs things of one kind; this is {WORDS[typed[other].type]}, beside it stands {WORDS[first]}.",
                HOW.get((typed[other].type, first)) or HOW.get((first, typed[other].type)) or "Write both as the same kind.",
            )  # fmt: skip
        return [one.made for one in typed], next(iter(types), MISSING)


def _said(node: exp.Expr) -> str:
    return node.sql(dialect="duckdb")[:60]


def _column(checking: _Checking, node: exp.Expr) -> _Typed:
    assert isinstance(node, exp.Column)
    if node.args.get("table"):
        raise checking.wrong(
            node, "Columns have one name only.", f'If the name holds points, write it as "{_said(node)}".'
        )
    name = node.name
    found = checking.columns.get(name)
    if found is None:
        if node.this.args.get("quoted"):
            advice = f"If a text is meant, write it in single quotes: '{name}'."
        elif name in FUNCTIONS:
            advice = f"If the function is meant, write {name}(…)."
        else:
            advice = _near(name, list(checking.columns)) or "A text stands in single quotes, as in 'abc'."
        raise checking.wrong(node, f"There is no column “{name}”.", advice)
    checking.read[found.name] = None
    made: exp.Expr = named(found.name)
    kind = OF_COLUMNS[found.type]
    if kind == NUMBER:
        exact = exp.cast(made, "DECIMAL(19, 0)") if found.type is DataType.WHOLE else None
        return _Typed(exp.cast(made, "DOUBLE"), kind, exact)
    return _Typed(made, kind)


def _near(name: str, known: Sequence[str]) -> str:
    lower = {one.lower(): one for one in known}
    close = difflib.get_close_matches(name.lower(), list(lower), n=1, cutoff=0.6)
    return f"Is “{lower[close[0]]}” meant?" if close else ""


def _literal(checking: _Checking, node: exp.Expr) -> _Typed:
    assert isinstance(node, exp.Literal)
    if node.is_string:
        return _Typed(exp.Literal.string(node.this), TEXT)
    written_out = re.fullmatch(r"(\d{1,28})(?:\.(\d{1,10}))?", node.this)
    exact = None
    if written_out:
        places = len(written_out[2] or "")
        exact = exp.cast(exp.Literal.string(node.this), f"DECIMAL({len(written_out[1]) + places}, {places})")
    return _Typed(exp.cast(exp.Literal.string(node.this), "DOUBLE"), NUMBER, exact)


def _written_moment(checking: _Checking, node: exp.Expr) -> _Typed:
    """date '2024-03-17' and timestamp '2024-03-17 09:40:00'."""
    assert isinstance(node, exp.Cast)
    to, inner = node.args["to"].this, node.this
    types = exp.DataType.Type
    kinds = {
        types.DATE: (DATE, "DATE"),
        types.TIMESTAMP: (MOMENT, "TIMESTAMP"),
        types.TIMESTAMPNTZ: (MOMENT, "TIMESTAMP"),
    }
    if to not in kinds or node.args["to"].expressions or not (isinstance(inner, exp.Literal) and inner.is_string):
        raise checking.wrong(
            node, f"“{_said(node)}” cannot be used in a formula.", "Use to_number(…), to_date(…) or to_text(…)."
        )
    try:
        datetime.fromisoformat(inner.this)
    except ValueError as error:
        raise checking.wrong(
            inner, f"“{inner.this}” is no day of the calendar.", "Write it as year-month-day: date '2024-03-17'."
        ) from error
    kind, sql_type = kinds[to]
    return _Typed(exp.cast(exp.Literal.string(inner.this), sql_type), kind)


def _arithmetic(checking: _Checking, node: exp.Expr) -> _Typed:
    assert isinstance(node, exp.Binary)
    if exact := _exactly(checking, node):
        return exact
    if isinstance(node, exp.Add | exp.Sub):
        return _Typed(_sum(checking, node), NUMBER)
    mark = {exp.Mul: "*", exp.Div: "/", exp.Mod: "%"}[type(node)]
    left, right = (_number(checking, side, mark) for side in (node.left, node.right))
    if mark != "*":
        right = template("nullif(:x, 0)", x=right)
    made: exp.Expr = exp.paren(type(node)(this=left, expression=right))
    if mark == "*":  # as the decimal digits read: 1.1 * 3 is 3.3
        made = template("neat_number(:x)", x=made)
    return _Typed(made, NUMBER)


_EXACTLY: dict[type[exp.Expr], str] = {exp.Add: "exact_plus", exp.Sub: "exact_minus", exp.Mul: "exact_times"}


def _exactly(checking: _Checking, node: exp.Binary) -> _Typed | None:
    """+, - and * of exact decimals with each other, whole numbers and numbers written out, to the last digit."""
    name = _EXACTLY.get(type(node))
    if name is None:
        return None
    try:
        sides = [checking.of(side) for side in (node.left, node.right)]
    except FormulaError:
        return None  # told where the sides are asked for by name
    exact = [one.as_exact for one in sides]
    if None in exact or all(one.type != EXACT for one in sides):
        return None
    return _Typed(exp.Anonymous(this=name, expressions=exact), EXACT)


def _sum(checking: _Checking, node: exp.Binary) -> exp.Expr:
    """A chain of + and - as one sum, so that each number is named twice however long the chain is.

    As the decimal digits read: 0.1 + 0.2 is 0.3, and what cancels leaves no trace of binary fractions.
    """
    links: list[exp.Binary] = [node]
    while isinstance(links[-1].left, exp.Add | exp.Sub):
        links.append(links[-1].left)
    links.reverse()
    parts = [_number(checking, links[0].left, _mark(links[0]), links[0].right)]
    parts += [_number(checking, link.right, _mark(link), link.left) for link in links]
    total = parts[0]
    for link, part in zip(links, parts[1:], strict=True):
        total = type(link)(this=total, expression=part)
    total = exp.paren(total)
    if sum(1 for part in parts for _ in part.walk()) > MOST_NAMED_TWICE:
        return template("neat_number(:x)", x=total)
    sizes = [template("abs(:x)", x=part) for part in parts]
    largest: exp.Expr = exp.Anonymous(this="greatest", expressions=sizes)
    if len(parts) > 3:  # the errors of many parts add up: a digit less is kept
        largest = template(":m * :n", m=largest, n=exp.Literal.number(len(parts)))
    return template("neat_sum(:x, :m)", x=total, m=largest)


def _mark(link: exp.Binary) -> str:
    return "+" if isinstance(link, exp.Add) else "-"


def _number(checking: _Checking, side: exp.Expr, mark: str, other: exp.Expr | None = None) -> exp.Expr:
    """One side of a calculation; `other` is the side across, to advise on texts that are added."""
    typed = checking.of(side)
    if typed.type not in (NUMBER, EXACT, MISSING):
        advice = HOW.get((typed.type, NUMBER), "Put a number here.")
        if typed.type in (DATE, MOMENT):
            advice = "days_between(a, b) gives the days between two dates, add_days(a, 3) a later one."
        elif mark == "+" and typed.type == TEXT and other is not None and checking.of(other).type == TEXT:
            advice = "Texts are put together with ||."
        raise checking.wrong(side, f"“{mark}” needs a number; this is {WORDS[typed.type]}.", advice)
    return exp.cast(typed.made, "DOUBLE")


def _joined(checking: _Checking, node: exp.Expr) -> _Typed:
    assert isinstance(node, exp.Binary)
    left, right = (checking.fitting(side, TEXT, "“||”") for side in (node.left, node.right))
    return _Typed(exp.paren(exp.DPipe(this=left, expression=right)), TEXT)


def _compared(checking: _Checking, node: exp.Expr) -> _Typed:
    assert isinstance(node, exp.Binary)
    (left, right), _ = checking.alike([node.left, node.right], "A comparison")
    return _Typed(exp.paren(type(node)(this=left, expression=right)), TRUTH)


def _between(checking: _Checking, node: exp.Expr) -> _Typed:
    (cell, low, high), _ = checking.alike([node.this, node.args["low"], node.args["high"]], "between")
    return _Typed(exp.paren(exp.Between(this=cell, low=low, high=high)), TRUTH)


def _one_of(checking: _Checking, node: exp.Expr) -> _Typed:
    if node.args.get("query") or node.args.get("unnest") or not node.expressions:
        raise checking.wrong(node, "in needs a list of values.", "Write them in brackets: in ('a', 'b').")
    made, _ = checking.alike([node.this, *node.expressions], "in")
    return _Typed(exp.paren(exp.In(this=made[0], expressions=made[1:])), TRUTH)


def _is(checking: _Checking, node: exp.Expr) -> _Typed:
    assert isinstance(node, exp.Binary)
    right = node.right
    if not isinstance(right, exp.Null | exp.Boolean):
        raise checking.wrong(node, "is goes with null, true and false.", "Compare with = instead.")
    cell = checking.of(node.left).made if isinstance(right, exp.Null) else checking.fitting(node.left, TRUTH, "is")
    return _Typed(_negated(node, exp.Is(this=cell, expression=right.copy())), TRUTH)


def _negated(node: exp.Expr, made: exp.Expr) -> exp.Expr:
    """The comparison made of a part, or its opposite where the parser read "not" into the part itself."""
    made = exp.paren(made)
    return exp.paren(exp.not_(made)) if node.args.get("negate") else made


def _alike_text(checking: _Checking, node: exp.Expr) -> _Typed:
    assert isinstance(node, exp.Binary)
    left, right = (checking.fitting(side, TEXT, "like") for side in (node.left, node.right))
    return _Typed(_negated(node, type(node)(this=left, expression=right)), TRUTH)


def _logic(checking: _Checking, node: exp.Expr) -> _Typed:
    assert isinstance(node, exp.Binary)
    word = "and" if isinstance(node, exp.And) else "or"
    left, right = (checking.fitting(side, TRUTH, f"“{word}”") for side in (node.left, node.right))
    return _Typed(exp.paren(type(node)(this=left, expression=right)), TRUTH)


def _not(checking: _Checking, node: exp.Expr) -> _Typed:
    return _Typed(exp.paren(exp.not_(checking.fitting(node.this, TRUTH, "not"))), TRUTH)


def _negative(checking: _Checking, node: exp.Expr) -> _Typed:
    typed = checking.of(node.this)
    exact = None if typed.as_exact is None else exp.paren(exp.Neg(this=typed.as_exact))
    if typed.type == EXACT and exact is not None:
        return _Typed(exact, EXACT)
    return _Typed(exp.paren(exp.Neg(this=checking.fitting(node.this, NUMBER, "“-”"))), NUMBER, exact)


def _case(checking: _Checking, node: exp.Expr) -> _Typed:
    if node.this is not None:
        raise checking.wrong(
            node, "case is written with a condition after each when.", "Write case when x = 1 then … end."
        )
    conditions = [checking.fitting(one.this, TRUTH, "when") for one in node.args["ifs"]]
    results = [one.args["true"] for one in node.args["ifs"]] + (
        [node.args["default"]] if node.args.get("default") else []
    )
    made, kind = checking.alike(results, "case")
    cases = [exp.If(this=one, true=result) for one, result in zip(conditions, made[: len(conditions)], strict=True)]
    return _Typed(exp.Case(ifs=cases, default=made[len(conditions)] if len(made) > len(conditions) else None), kind)


def _call(checking: _Checking, node: exp.Expr) -> _Typed:
    assert isinstance(node, exp.Anonymous)
    name, given = node.name.lower(), node.expressions
    function = FUNCTIONS.get(name)
    if function is None:
        raise checking.wrong(node, f"There is no function “{node.name}”.", _instead(name))
    arguments = _matched(checking, node, function, given)
    if exact := _called_exactly(checking, name, [part for part, _ in arguments]):
        return exact
    same = [part for part, argument in arguments if argument.type == SAME]
    made_same, kind = checking.alike(same, name) if same else ([], MISSING)
    made: list[exp.Expr] = []
    for part, argument in arguments:
        if argument.type == SAME:
            made.append(made_same.pop(0))
        elif argument.type in WRITTEN_OUT:
            made.append(_literal_argument(checking, part, argument.type, name))
        else:
            made.append(checking.fitting(part, argument.type, name))
    if name == "to_text":
        made = [_as_text(checking, arguments[0][0])]
    result = kind if function.gives == SAME else function.gives
    whole = _filled(function, made, result)
    if sum(1 for _ in whole.walk()) > MOST_MADE:
        raise checking.wrong(node, "The formula has too many parts.", "Divide it into several rules.")
    return _Typed(whole, result)


def _called_exactly(checking: _Checking, name: str, given: Sequence[exp.Expr]) -> _Typed | None:
    """The functions that leave an exact decimal one."""
    first = checking.of(given[0]) if given and name in ("abs", "round") else None
    if first is None or first.type != EXACT:
        return None
    if name == "abs":
        return _Typed(exp.Anonymous(this="abs", expressions=[first.made]), EXACT)
    places = given[1].sql() if len(given) > 1 else "0"
    if not re.fullmatch(r"-?\d{1,2}", places):
        return None
    return _Typed(template("exact_round(:x, :p)", x=first.made, p=exp.Literal.number(int(places))), EXACT)


def _matched(
    checking: _Checking, node: exp.Expr, function: Function, given: Sequence[exp.Expr]
) -> list[tuple[exp.Expr, Argument]]:
    arguments = function.arguments
    least = sum(1 for one in arguments if one.default is None)
    repeats = bool(arguments) and arguments[-1].repeats
    if len(given) < least or (len(given) > len(arguments) and not repeats):
        some = "no arguments" if not arguments else "1 argument" if least == len(arguments) == 1 else (
            f"{least} or more arguments" if repeats else f"{least} arguments" if least == len(arguments)
            else f"{least} to {len(arguments)} arguments"
        )  # fmt: skip
        more = (
            " A number has a decimal point, not a comma."
            if len(given) > len(arguments) and re.search(r"\d,\d", checking.text)
            else ""
        )
        raise checking.wrong(
            node, f"{function.name} takes {some}; here are {len(given)}.", f"As in {function.example}.{more}"
        )
    if repeats:
        return [(part, arguments[min(at, len(arguments) - 1)]) for at, part in enumerate(given)]
    rest = [Formulas().parse(one.default)[0] for one in arguments[len(given) :] if one.default is not None]
    return list(zip([*given, *(one for one in rest if one is not None)], arguments, strict=True))


def _literal_argument(checking: _Checking, part: exp.Expr, kind: str, name: str) -> exp.Expr:
    what = {PATTERN: "its pattern", FORM: "the form of the date", MARK: "one character"}[kind]
    if not (isinstance(part, exp.Literal) and part.is_string):
        raise checking.wrong(part, f"{name} needs {what} written out as text.", f"As in {FUNCTIONS[name].example}.")
    text = str(part.this)
    if kind == MARK and len(text) != 1:
        raise checking.wrong(part, f"{name} needs one character here.", f"As in {FUNCTIONS[name].example}.")
    if kind == FORM and not re.search(r"%[a-zA-Z]", text):
        raise checking.wrong(part, f"“{text}” is no form of a date.", "As in '%Y-%m-%d' or '%d.%m.%Y'.")
    if kind == PATTERN:
        try:
            compute: Any = pyarrow.compute
            compute.match_substring_regex(pyarrow.array([""]), text)
        except pyarrow.ArrowInvalid as error:
            raise checking.wrong(
                part,
                f"The pattern cannot be read: {str(error).rpartition(': ')[2]}.",
                "Put \\ before a character that is meant as it is.",
            ) from error
    return exp.Literal.string(text)


def _as_text(checking: _Checking, part: exp.Expr) -> exp.Expr:
    typed = checking.of(part)
    if typed.type in (TEXT, MISSING):
        return exp.cast(typed.made, "VARCHAR")
    if typed.type == LIST:
        raise checking.wrong(part, "to_text cannot write a list.", "join_items(…, ', ') writes a list as one text.")
    return written(typed.made, AS_COLUMNS[typed.type])


def _filled(function: Function, made: Sequence[exp.Expr], result: str) -> exp.Expr:
    parts: dict[str, exp.Expr] = {}
    for letter, argument in zip("abcdefgh", made, strict=False):
        parts[letter] = argument.copy()
        parts[f"n_{letter}"] = template("TRY_CAST(round(:x) AS INTEGER)", x=argument)
        parts[f"written_{letter}"] = argument.copy()
        if isinstance(argument, exp.Literal):
            groups = int(bool(re.search(r"(?<!\\)\((?!\?)", argument.this)))
            parts[f"group_{letter}"] = exp.Literal.number(groups)
    if ":all" in function.sql:
        call = function.sql.partition("(")[0]
        whole: exp.Expr = exp.Anonymous(this=call, expressions=[one.copy() for one in made])
    else:
        used = set(re.findall(r":([a-z_]+)", function.sql))
        whole = template(function.sql, **{name: part for name, part in parts.items() if name in used})
    if result == NUMBER:
        whole = exp.cast(exp.paren(whole), "DOUBLE")
    return exp.paren(whole)


_ELSEWHERE = {
    "substr": "substring", "mid": "substring", "len": "length", "char_length": "length", "instr": "position", "ucase": "upper",
    "lcase": "lower", "initcap": "capitalise", "proper": "capitalise", "ifnull": "coalesce", "nvl": "coalesce", "isnull": "is_missing", "iif": "if",
    "regexp_matches": "matches", "regexp_replace": "replace_pattern", "regexp_extract": "extract", "ceil": "ceiling", "mod": "remainder",
    "pow": "power", "trunc": "truncate", "max": "greatest", "min": "least", "cast": "to_number", "convert": "to_number",
    "value": "to_number", "str": "to_text", "strptime": "to_date", "strftime": "write_date", "date": "to_date", "datediff": "days_between",
    "date_diff": "days_between", "dateadd": "add_days", "split_part": "word", "concat_ws": "join_texts", "string_split": "split",
}  # fmt: skip
_OF_MANY = ("sum", "avg", "mean", "count", "median", "max", "min", "stddev", "row_number", "lag", "lead", "rank")


def _instead(name: str) -> str:
    if name in _OF_MANY and name not in _ELSEWHERE:
        return "A formula works on one record; it cannot add up others."
    if name in _ELSEWHERE:
        return f"Is “{_ELSEWHERE[name]}” meant, as in {FUNCTIONS[_ELSEWHERE[name]].example}?"
    return _near(name, list(FUNCTIONS)) or "See the list of functions."


def _if(checking: _Checking, node: exp.Expr) -> _Typed:
    """if(…) is read as a part of its own; it is a call like the others."""
    given = [node.this, *(node.args[name] for name in ("true", "false") if node.args.get(name) is not None)]
    return _call(checking, exp.Anonymous(this="if", expressions=given))


def _beside(checking: _Checking, node: exp.Expr) -> _Typed:
    """Two things without an operator read as a thing and its other name."""
    other = str(node.args.get("alias") or "")
    raise checking.wrong(
        node,
        f"An operator is missing before “{other}”.",
        "Put one between them, such as || or +, or brackets after a function.",
    )


_Make = Callable[[_Checking, exp.Expr], _Typed]


@dataclass(frozen=True)
class _Part:
    """How one type of node is read: the arguments that `make` looks at, and those that say nothing about the result."""

    make: _Make
    arguments: frozenset[str]


def _parts() -> dict[type[exp.Expr], _Part]:
    """By exact type: a node of a derived type means something else."""
    sides = "this expression"
    rows: tuple[tuple[tuple[type[exp.Expr], ...], _Make, str], ...] = (
        ((exp.Column,), _column, "this table"),
        ((exp.Literal,), _literal, "this is_string"),
        ((exp.Boolean,), lambda _, node: _Typed(node.copy(), TRUTH), "this"),
        ((exp.Null,), lambda _, node: _Typed(node.copy(), MISSING), ""),
        ((exp.Paren,), lambda checking, node: checking.of(node.this), "this"),
        ((exp.Alias,), _beside, "this alias"),
        ((exp.Anonymous,), _call, "this expressions"),
        ((exp.If,), _if, "this true false"),
        ((exp.Cast,), _written_moment, "this to"),
        ((exp.DPipe,), _joined, f"{sides} safe"),
        ((exp.Add, exp.Sub, exp.Mul, exp.Mod), _arithmetic, sides),
        ((exp.Div,), _arithmetic, f"{sides} typed safe"),
        ((exp.EQ, exp.NEQ, exp.GT, exp.GTE, exp.LT, exp.LTE), _compared, sides),
        ((exp.Between,), _between, "this low high"),
        ((exp.In,), _one_of, "this expressions query unnest field"),
        ((exp.Is,), _is, f"{sides} negate"),
        ((exp.Like, exp.ILike), _alike_text, f"{sides} negate"),
        ((exp.And, exp.Or), _logic, sides),
        ((exp.Not,), _not, "this"),
        ((exp.Neg,), _negative, "this"),
        ((exp.Case,), _case, "this ifs default"),
    )
    return {kind: _Part(make, frozenset(names.split())) for kinds, make, names in rows for kind in kinds}


_PARTS = _parts()
