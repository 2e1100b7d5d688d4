"""Calls of functions: their arguments matched, typed and put into the expression of the catalogue."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

import pyarrow
import pyarrow.compute
from sqlglot import exp

from pravin_core.formulas import standard, windows
from pravin_core.formulas.checking import (
    EXACT,
    MISSING,
    Checking,
    Typed,
    nearest,
)
from pravin_core.formulas.functions import (
    DATE,
    FORM,
    FORMER_NAMES,
    FUNCTIONS,
    MARK,
    MOMENT,
    NUMBER,
    PATTERN,
    SAME,
    WRITTEN_OUT,
    Argument,
    Function,
)
from pravin_core.formulas.patterns import groups as count_of_groups
from pravin_core.formulas.reading import parsed
from pravin_core.sql.trees import template

MOST_MADE = 5000
_OF_ANY = ("concat", "join_texts")  # as in SQL, what is no text is written as one
_ALREADY = {"to_number": NUMBER, "to_date": DATE, "to_moment": MOMENT}  # what converts nothing that is converted


def call(checking: Checking, node: exp.Expr) -> Typed:
    """A call of a function of the catalogue."""
    assert isinstance(node, exp.Anonymous)
    name, parts = node.name.lower(), node.expressions
    if (ours := standard.rewritten(checking, node)) is not None:
        ours.meta.update({key: node.meta[key] for key in ("start", "end") if key in node.meta})
        return checking.of(ours)
    function = FUNCTIONS.get(FORMER_NAMES.get(name, name))
    if function is None and (meant := standard.other_names().get(name)):
        raise checking.wrong(node, f"{node.name} takes other arguments; here are {len(parts)}.", f"It is {meant}.")
    if function is None:
        raise checking.wrong(node, f"There is no function “{node.name}”.", _instead(name, checking.sees_others))
    arguments = _matched(checking, node, function, parts)
    if exact := _called_exactly(checking, name, [part for part, _ in arguments]):
        return exact
    if (already := _ALREADY.get(name)) and (first := checking.of(arguments[0][0])).type == already:
        return first  # a rule above may have converted the column
    same = [part for part, argument in arguments if argument.type == SAME]
    made_same, kind = checking.alike(same, name) if same else ([], MISSING)
    expressions: list[exp.Expr] = []
    for part, argument in arguments:
        if argument.type == SAME:
            expressions.append(made_same.pop(0))
        elif name in _OF_ANY:
            expressions.append(checking.as_text(part, name))
        elif argument.type in WRITTEN_OUT:
            expressions.append(_literal_argument(checking, part, argument.type, name))
        else:
            expressions.append(checking.fitting(part, argument.type, name))
    if name == "to_text":
        expressions = [checking.as_text(arguments[0][0], name)]
    result = kind if function.gives == SAME else function.gives
    whole = _filled(function, expressions, result)
    if sum(1 for _ in whole.walk()) > MOST_MADE:
        raise checking.wrong(node, "The formula has too many parts.", "Split it into several rules.")
    return Typed(whole, result)


def _called_exactly(checking: Checking, name: str, arguments: Sequence[exp.Expr]) -> Typed | None:
    """The functions that leave an exact decimal one."""
    first = checking.of(arguments[0]) if arguments and name in ("abs", "round") else None
    if first is None or first.type != EXACT:
        return None
    if name == "abs":
        return Typed(exp.Anonymous(this="abs", expressions=[first.expression]), EXACT)
    places = arguments[1].sql() if len(arguments) > 1 else "0"
    if not re.fullmatch(r"-?\d{1,2}", places):
        return None
    return Typed(template("exact_round(:x, :p)", x=first.expression, p=exp.Literal.number(int(places))), EXACT)


def _matched(
    checking: Checking, node: exp.Expr, function: Function, given: Sequence[exp.Expr]
) -> list[tuple[exp.Expr, Argument]]:
    arguments = function.arguments
    least = sum(1 for argument in arguments if argument.default is None)
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
    rest = [parsed(argument.default) for argument in arguments[len(given) :] if argument.default is not None]
    return list(zip([*given, *rest], arguments, strict=True))


def _literal_argument(checking: Checking, part: exp.Expr, kind: str, name: str) -> exp.Expr:
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


def _filled(function: Function, arguments: Sequence[exp.Expr], result: str) -> exp.Expr:
    if ":all" in function.sql:
        call = function.sql.partition("(")[0]
        whole: exp.Expr = exp.Anonymous(this=call, expressions=[item.copy() for item in arguments])
    else:
        used = set(re.findall(r":([a-z_]+)", function.sql))
        parts: dict[str, exp.Expr] = {}
        for letter, argument in zip("abcdefgh", arguments, strict=False):
            parts[letter] = parts[f"written_{letter}"] = argument  # the template copies what it takes
            if f"n_{letter}" in used:
                parts[f"n_{letter}"] = template("TRY_CAST(round(:x) AS INTEGER)", x=argument)
            if f"group_{letter}" in used and isinstance(argument, exp.Literal):
                parts[f"group_{letter}"] = exp.Literal.number(min(1, count_of_groups(argument.this)))
        whole = template(function.sql, **{name: part for name, part in parts.items() if name in used})
    if result == NUMBER:
        whole = exp.cast(exp.paren(whole), "DOUBLE")
    return exp.paren(whole)


#: Names of other tools whose arguments are others, with the function of ours that is meant.
_ELSEWHERE = {
    "max": "greatest", "min": "least", "cast": "to_number", "convert": "to_number",
    "value": "to_number", "str": "to_text", "date_diff": "days_between", "dateadd": "add_days", "date_add": "add_days",
    "text": "to_text", "search": "position", "find": "position", "clean": "visible", "datevalue": "to_date", "int": "floor",
    "str_to_date": "to_date", "date_format": "write_date", "isnumber": "is_number", "textjoin": "join_texts",
    "concatenate": "concat",
}  # fmt: skip

_TODAY = ("now", "today", "getdate", "sysdate", "curdate", "current_date", "current_timestamp")


def _instead(name: str, sees_others: bool) -> str:
    if name in _TODAY:
        return standard.OF_TODAY
    if form := next((form for form in standard.FORMS if form.name == name), None):
        return f"It is written {form.written}."
    if name in ("vlookup", "xlookup", "lookup", "match", "index"):
        return "Columns of another table come by a rule: Add rule, “join columns”."
    over_group = windows.without_over(name, sees_others)
    if name in _ELSEWHERE:
        meant = f"Is “{_ELSEWHERE[name]}” meant, as in {FUNCTIONS[_ELSEWHERE[name]].example}?"
        return f"{meant} {over_group}".strip()
    if over_group:
        return over_group
    return nearest(name, list(FUNCTIONS)) or "See the list of functions."


def if_(checking: Checking, node: exp.Expr) -> Typed:
    """if(…) is read as a part of its own; it is a call like the others."""
    known = [node.this, *(node.args[name] for name in ("true", "false") if node.args.get(name) is not None)]
    return call(checking, exp.Anonymous(this="if", expressions=known))
