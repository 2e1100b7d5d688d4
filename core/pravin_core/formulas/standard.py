"""SQL as people write it, told in the functions of the catalogue.

Three sorts of things are rewritten before they are checked: functions that other databases know by another name or with the
arguments in another order; parts with words between their arguments (CAST, EXTRACT, SUBSTRING, POSITION, TRIM, OVERLAY); and
forms of dates as PostgreSQL writes them (YYYY-MM-DD). What becomes of each is a formula of ours, in which :a, :b … stand for
the arguments, so that it is checked, explained and exported as any other.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from sqlglot import exp

from pravin_core.formulas.checking import EXACT, Checking, Typed
from pravin_core.formulas.functions import DATE, FUNCTIONS, MOMENT, NUMBER, TEXT, TRUTH
from pravin_core.formulas.reading import parsed

#: By name and number of arguments; names with the same arguments in the same order stand in ALSO_CALLED.
OF_CALLS: dict[tuple[str, int], str] = {
    ("strpos", 2): "position(:a, :b)",
    ("instr", 2): "position(:a, :b)",
    ("locate", 2): "position(:b, :a)",
    ("charindex", 2): "position(:b, :a)",
    ("split_part", 3): "item(split(:a, :b), :c)",
    ("replace", 2): "replace(:a, :b, '')",
    ("ltrim", 2): "ltrim_of(:a, :b)",
    ("rtrim", 2): "rtrim_of(:a, :b)",
    ("btrim", 1): "trim(:a)",
    ("btrim", 2): "trim_of(:a, :b)",
    ("space", 1): "repeat(' ', :a)",
    ("trunc", 2): "truncate(:a * power(10, :b)) / power(10, :b)",
    ("truncate", 2): "truncate(:a * power(10, :b)) / power(10, :b)",
    ("log", 1): "log10(:a)",
    ("log", 2): "ln(:b) / ln(:a)",
    ("square", 1): "power(:a, 2)",
    ("cot", 1): "1 / tan(:a)",
    ("nvl2", 3): "if(is_missing(:a), :c, :b)",
    ("isnull", 1): "is_missing(:a)",
    ("dayname", 1): "write_date(:a, '%A')",
    ("monthname", 1): "write_date(:a, '%B')",
    ("dayofweek", 1): "remainder(weekday(:a), 7)",
    ("datediff", 2): "days_between(:b, :a)",
    ("date", 3): "make_date(:a, :b, :c)",
    ("datefromparts", 3): "make_date(:a, :b, :c)",
    ("xor", 2): ":a <> :b",
    ("substitute", 3): "replace(:a, :b, :c)",
    ("date", 1): "CAST(:a AS DATE)",
}

ALSO_CALLED = {
    "char_length": "length", "character_length": "length", "len": "length", "substr": "substring", "mid": "substring",
    "ucase": "upper", "lcase": "lower", "initcap": "capitalise_words", "proper": "capitalise_words", "concat_ws": "join_texts",
    "string_split": "split", "string_to_array": "split", "array_to_string": "join_items", "replicate": "repeat",
    "startswith": "starts_with", "endswith": "ends_with", "unaccent": "without_accents", "strip_accents": "without_accents",
    "regexp_matches": "matches", "regexp_like": "matches", "regexp_substr": "extract", "regexp_extract": "extract",
    "regexp_count": "count_pattern", "ceil": "ceiling", "pow": "power", "mod": "remainder", "trunc": "truncate",
    "ifnull": "coalesce", "nvl": "coalesce", "iif": "if", "isodow": "weekday", "dayofmonth": "day", "dayofyear": "day_of_year",
    "doy": "day_of_year", "weekofyear": "week", "last_day": "last_of_month", "sha2_256": "sha256", "div": "quotient",
    "strftime": "write_date", "to_timestamp": "to_moment", "strptime": "to_moment",
}  # fmt: skip

OF_PARTS: dict[str, str] = {
    "year": "year(:a)", "quarter": "quarter(:a)", "month": "month(:a)", "week": "week(:a)", "day": "day(:a)", "hour": "hour(:a)",
    "minute": "minute(:a)", "second": "second(:a)", "doy": "day_of_year(:a)", "dayofyear": "day_of_year(:a)",
    "isodow": "weekday(:a)", "dow": "remainder(weekday(:a), 7)", "dayofweek": "remainder(weekday(:a), 7)",
    "isoyear": "year(add_days(monday_of(:a), 3))", "decade": "floor(year(:a) / 10)", "century": "ceiling(year(:a) / 100)",
    "epoch": "hours_between(timestamp '1970-01-01 00:00:00', :a) * 3600",
}  # fmt: skip

TRUNCATED: dict[str, str] = {
    "year": "make_date(year(:a), 1, 1)",
    "quarter": "make_date(year(:a), quarter(:a) * 3 - 2, 1)",
    "month": "first_of_month(:a)",
    "week": "monday_of(:a)",
    "day": "day_only(:a)",
    "hour": "to_moment(write_date(:a, '%Y-%m-%d %H') || ':00:00')",
    "minute": "to_moment(write_date(:a, '%Y-%m-%d %H:%M') || ':00')",
    "second": "to_moment(write_date(:a, '%Y-%m-%d %H:%M:%S'))",
}

#: Forms of dates as PostgreSQL and others write them; longer ones first.
_FORMS = (
    ("YYYY", "%Y"), ("MONTH", "%B"), ("Month", "%B"), ("HH24", "%H"), ("HH12", "%I"), ("MON", "%b"), ("Mon", "%b"), ("DDD", "%j"),
    ("DAY", "%A"), ("Day", "%A"), ("YY", "%y"), ("MM", "%m"), ("DD", "%d"), ("HH", "%I"), ("MI", "%M"), ("SS", "%S"), ("DY", "%a"),
    ("Dy", "%a"), ("AM", "%p"), ("PM", "%p"),
)  # fmt: skip
_FORM_WORDS = re.compile("|".join(word for word, _ in _FORMS), re.IGNORECASE)
_WITH_FORMS = {"to_date", "to_moment", "to_timestamp", "to_char", "write_date", "strptime", "strftime", "is_date"}

_TEXTS = {"VARCHAR", "TEXT", "CHAR", "NCHAR", "NVARCHAR", "NAME"}
_WHOLES = {"INT", "BIGINT", "SMALLINT", "TINYINT", "HUGEINT", "MEDIUMINT", "INT128", "UINT", "UBIGINT"}
_DECIMALS = {"DOUBLE", "FLOAT", "DECIMAL", "REAL", "MONEY", "BIGDECIMAL"}


OF_TODAY = (
    "A formula does not know the day it is run on, so that a run can be made again: use a parameter, as in :today."
)


@dataclass(frozen=True)
class Form:
    """A part of SQL with words between its arguments: how it is written, and where one begins to type (|)."""

    name: str
    written: str
    insert: str
    about: str
    example: str
    result: object


FORMS: tuple[Form, ...] = (
    Form("cast", "cast(value as type)", "cast(| as )", "As text, varchar(n), integer, numeric(p, s), double precision, date, timestamp "
         "or boolean; missing where it cannot be.", "cast('7.4' as numeric(10, 1)) + 1", 8.4),
    Form("extract", "extract(part from moment)", "extract(year from |)", "A part of a date: year, quarter, month, week, day, dow, isodow, doy, "
         "hour, minute, second, epoch.", "extract(year from date '2024-03-17')", 2024.0),
    Form("date_trunc", "date_trunc('part', moment)", "date_trunc('month', |)", "The beginning of the year, quarter, month, week, day, hour or minute.",
         "to_text(date_trunc('month', date '2024-03-17'))", "2024-03-01"),
    Form("interval", "moment + interval 'number unit'", "interval '|'", "Years, quarters, months, weeks, days, hours, minutes or seconds, added to a date or taken off.",
         "to_text(date '2024-01-31' + interval '1 month')", "2024-02-29"),
    Form("substring from", "substring(text from start for length)", "substring(| from 1 for 1)", "A part of a text by position.",
         "substring('WQ-0042' from 4 for 2)", "00"),
    Form("position in", "position(part in text)", "position('|' in )", "Where a part first begins; 0 when nowhere.", "position('-' in 'WQ-0042')", 3.0),
    Form("trim from", "trim(both characters from text)", "trim(both '|' from )", "Without these characters at the ends, or at the leading or trailing one.",
         "trim(leading '0' from '0042')", "42"),
    Form("overlay", "overlay(text placing other from start for length)", "overlay(| placing '' from 1)", "With a part replaced by position.",
         "overlay('WQ-0042' placing 'AB' from 1 for 2)", "AB-0042"),
    Form("case", "case value when … then … else … end", "case | when  then  else  end", "The result of the first value that is equal.",
         "case 3 when 1 then 'one' when 3 then 'three' else 'many' end", "three"),
    Form("is distinct from", "value is distinct from other", "is distinct from |", "Whether two differ; missing is equal to missing.",
         "'a' is distinct from null", True),
)  # fmt: skip


_IN_PARTS = {
    "date_part": "extract(part from a)",
    "to_char": "write_date(a, form)",
    "regexp_replace": "replace_first(a, pattern, b), with 'g' replace_pattern",
}


def other_names() -> dict[str, str]:
    """Functions under the names of other databases, each with what it is in ours."""
    meant: dict[str, list[str]] = {name: [f"{ours}(…)"] for name, ours in ALSO_CALLED.items()}
    for (name, _), text in OF_CALLS.items():
        if name not in FUNCTIONS:
            meant.setdefault(name, []).append(re.sub(r":([a-h])", r"\1", text))
    return dict(sorted({**{name: " or ".join(ours) for name, ours in meant.items()}, **_IN_PARTS}.items()))


def formula(text: str, parts: Mapping[str, exp.Expr]) -> exp.Expr:
    """The tree of a formula in which the parts stand at :a, :b …"""
    tree = _tree(text).copy()
    if isinstance(tree, exp.Placeholder):
        return parts[tree.this].copy()
    for place in list(tree.find_all(exp.Placeholder)):
        place.replace(parts[place.this].copy())
    return tree


@lru_cache(maxsize=256)
def _tree(text: str) -> exp.Expr:
    return parsed(text)


def by_letter(arguments: Sequence[exp.Expr]) -> dict[str, exp.Expr]:
    """Arguments by the letters that a formula of ours knows them by."""
    return dict(zip("abcdefgh", arguments, strict=False))


def rewritten(checking: Checking, node: exp.Anonymous) -> exp.Expr | None:
    """What a call is in our own words; None where it is one of ours, or nobody's."""
    name, arguments = node.name.lower(), [_in_our_form(node.name.lower(), part) for part in node.expressions]
    if name in ("date_part", "date_trunc") and len(arguments) == 2:
        return _of_part(checking, node, OF_PARTS if name == "date_part" else TRUNCATED)
    if name == "to_char" and len(arguments) == 2:
        return _to_char(checking, node, arguments)
    if name == "regexp_replace":
        return _replaced(checking, node, arguments)
    if text := OF_CALLS.get((name, len(arguments))):
        return formula(text, by_letter(arguments))
    if also := ALSO_CALLED.get(name):
        return exp.Anonymous(this=also, expressions=[argument.copy() for argument in arguments])
    if name in FUNCTIONS and any(ours is not given for ours, given in zip(arguments, node.expressions, strict=True)):
        return exp.Anonymous(this=name, expressions=[argument.copy() for argument in arguments])
    return None


def _in_our_form(name: str, part: exp.Expr) -> exp.Expr:
    """A form such as YYYY-MM-DD as %Y-%m-%d, where a function takes forms."""
    if name not in _WITH_FORMS or not (isinstance(part, exp.Literal) and part.is_string) or "%" in part.this:
        return part
    if re.search(r"[^\W\d_]", _FORM_WORDS.sub("", part.this).replace("T", "")):
        return part  # other letters: it is no such form
    words = {word.lower(): ours for word, ours in _FORMS}
    form = _FORM_WORDS.sub(lambda match: words[match[0].lower()], part.this)
    return exp.Literal.string(form) if form != part.this else part


def _to_char(checking: Checking, node: exp.Anonymous, arguments: Sequence[exp.Expr]) -> exp.Expr:
    if checking.of(arguments[0]).type in (NUMBER, EXACT):
        raise checking.wrong(
            node, "to_char writes dates here.", "to_text(round(x, 2)) writes a number; lpad(…, 5, '0') fills it up."
        )
    return formula("write_date(:a, :b)", by_letter(arguments))


def _replaced(checking: Checking, node: exp.Anonymous, arguments: Sequence[exp.Expr]) -> exp.Expr:
    """regexp_replace: the first occurrence, or all with the flag g; i for any case."""
    flags = arguments[3] if len(arguments) == 4 else None
    if flags is not None and not (isinstance(flags, exp.Literal) and re.fullmatch("[gi]*", flags.this)):
        raise checking.wrong(node, "The flags of regexp_replace are g (all) and i (any case).", "As in 'g' or 'gi'.")
    marks = flags.this if flags is not None else ""
    parts = by_letter(arguments[:3])
    if "i" in marks and isinstance(parts.get("b"), exp.Literal):
        parts["b"] = exp.Literal.string(f"(?i){parts['b'].this}")
    name = "replace_pattern" if "g" in marks else "replace_first"
    return exp.Anonymous(this=name, expressions=[parts[letter].copy() for letter in parts])


def _of_part(checking: Checking, node: exp.Anonymous, known: Mapping[str, str]) -> exp.Expr:
    part, moment = node.expressions
    return formula(_known_part(checking, part, known, node), {"a": moment})


def _known_part(checking: Checking, part: exp.Expr, known: Mapping[str, str], node: exp.Expr) -> str:
    name = (part.name if isinstance(part, exp.Literal | exp.Var | exp.Column | exp.Identifier) else "").lower()
    text = known.get(name) or known.get(name.removesuffix("s"))
    if text is None:
        raise checking.wrong(
            node, f"“{name or part.sql()}” is no part of a date here.", f"Known are {', '.join(known)}."
        )
    return text


def extracted(checking: Checking, node: exp.Expr) -> Typed:
    """EXTRACT(YEAR FROM x)."""
    text = _known_part(checking, node.this, OF_PARTS, node)
    return checking.of(formula(text, {"a": node.expression}))


def cut(checking: Checking, node: exp.Expr) -> Typed:
    """SUBSTRING(x FROM 2 FOR 3)."""
    parts = [node.this, node.args.get("start") or exp.Literal.number(1), node.args.get("length")]
    return checking.of(exp.Anonymous(this="substring", expressions=[part.copy() for part in parts if part is not None]))


def placed_in(checking: Checking, node: exp.Expr) -> Typed:
    """POSITION('-' IN x)."""
    return checking.of(formula("position(:a, :b)", {"a": node.this, "b": node.args["substr"]}))


def trimmed(checking: Checking, node: exp.Expr) -> Typed:
    """TRIM(BOTH 'x' FROM y), TRIM(y, 'x'), TRIM(y)."""
    name = {"LEADING": "ltrim", "TRAILING": "rtrim"}.get(str(node.args.get("position") or ""), "trim")
    characters = node.args.get("expression")
    if characters is None:
        return checking.of(exp.Anonymous(this=name, expressions=[node.this.copy()]))
    return checking.of(exp.Anonymous(this=f"{name}_of", expressions=[node.this.copy(), characters.copy()]))


def overlaid(checking: Checking, node: exp.Expr) -> Typed:
    """OVERLAY(x PLACING y FROM 3 FOR 2)."""
    parts = {"a": node.this, "b": node.expression, "c": node.args["from_"]}
    parts["d"] = node.args.get("for_") or formula("length(:b)", parts)
    return checking.of(formula("left(:a, :c - 1) || :b || substring(:a, :c + :d)", parts))


def cast(checking: Checking, node: exp.Expr) -> Typed:
    """CAST(x AS …) and x::…, to text, numbers, dates and truths."""
    to: exp.DataType = node.args["to"]
    typed = checking.of(node.this)
    name, sizes = to.this.name, [size.name for size in to.expressions]
    made = _CASTS.get(name)
    text = made(typed.type, sizes) if made else None
    if text is None:
        written = to.sql(dialect="postgres").lower()
        raise checking.wrong(
            node, f"A value cannot be cast to {written} here.",
            "Cast to text, varchar(n), integer, numeric(p, s), double precision, date, timestamp or boolean.",
        )  # fmt: skip
    return checking.of(formula(text, {"a": node.this}))


def _as_text(_: str, sizes: Sequence[str]) -> str:
    return f"left(to_text(:a), {sizes[0]})" if sizes else "to_text(:a)"


def _as_number(kind: str) -> str | None:
    return {TEXT: "to_number(:a)", NUMBER: ":a", EXACT: ":a", TRUTH: "if(:a, 1, 0)"}.get(
        kind, "to_number(to_text(:a))" if kind not in (DATE, MOMENT) else None
    )


def _as_whole(kind: str, _: Sequence[str]) -> str | None:
    number = _as_number(kind)
    return None if number is None else f"round({number})"


def _as_decimal(kind: str, sizes: Sequence[str]) -> str | None:
    number = _as_number(kind)
    if number is None or not sizes:
        return number
    return f"round({number}, {sizes[1] if len(sizes) > 1 else 0})"


def _as_date(kind: str, _: Sequence[str]) -> str | None:
    return {TEXT: "to_date(left(trim(:a), 10))", DATE: ":a", MOMENT: "day_only(:a)"}.get(kind)


def _as_moment(kind: str, _: Sequence[str]) -> str | None:
    return {
        TEXT: "coalesce(to_moment(replace(trim(:a), 'T', ' ')), to_moment(trim(:a), '%Y-%m-%d'))",
        DATE: "add_days(:a, 0)",
        MOMENT: ":a",
    }.get(kind)


def _as_truth(kind: str, _: Sequence[str]) -> str | None:
    return {TEXT: "to_truth(:a)", NUMBER: ":a <> 0", EXACT: ":a <> 0", TRUTH: ":a"}.get(kind)


_CASTS: dict[str, Callable[[str, Sequence[str]], str | None]] = {
    **dict.fromkeys(_TEXTS, _as_text),
    **dict.fromkeys(_WHOLES, _as_whole),
    **dict.fromkeys(_DECIMALS, _as_decimal),
    "DATE": _as_date,
    **dict.fromkeys(("TIMESTAMP", "TIMESTAMPNTZ", "DATETIME"), _as_moment),
    "BOOLEAN": _as_truth,
}
