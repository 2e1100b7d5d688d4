"""The statements of a rulebook for PostgreSQL: the same trees, the engine's functions by name, patterns translated.

Differences that remain: PostgreSQL's patterns take the longest of several alternatives where the engine takes the
first, and letters are what the database's locale says.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import reduce
from pathlib import Path
from typing import Any

from sqlglot import exp
from sqlglot.dialects.duckdb import DuckDB

from pravin_core.engines.operations import PLAIN, TYPOGRAPHIC
from pravin_core.exports.sql import RESULT, Compiled, commented, sentence_of
from pravin_core.sql.trees import sql

_SPACE = r"\u0020\u00a0\u1680\u2000-\u200a\u2028\u2029\u202f\u205f\u3000"
_CLASSES = {
    r"\p{Z}": _SPACE, r"\p{Zs}": _SPACE.replace(r"\u2028\u2029", ""), r"\s": r"\t\n\v\f\r ", r"\d": "0-9", r"\p{Nd}": "0-9",
    r"\p{L}": "[:alpha:]", r"\p{Lu}": "[:upper:]", r"\p{Ll}": "[:lower:]", r"\p{Lt}": "", r"\p{M}": r"\u0300-\u036f",
    r"\p{P}": "[:punct:]‘’“”–—…«»¿¡§¶", r"\p{S}": "+<=>^`|~$°±×÷€£¥©®", r"\p{Cc}": r"\u0001-\u001f\u007f-\u009f",
    r"\p{Cf}": r"\u00ad\u200b-\u200f\u202a-\u202e\u2060-\u2064\ufeff", r"\w": "[:alnum:]_",
}  # fmt: skip


class _ByName(DuckDB):  # type: ignore[misc]
    """DuckDB's dialect in which every call but CAST is a call by name."""

    class Parser(DuckDB.Parser):  # type: ignore[misc]
        FUNCTIONS: dict[str, Any] = {}
        FUNCTION_PARSERS = {name: DuckDB.Parser.FUNCTION_PARSERS[name] for name in ("CAST", "TRY_CAST")}
        NO_PAREN_FUNCTIONS: dict[Any, Any] = {}


def functions() -> str:
    """The statements that make operations and functions known."""
    text = (Path(__file__).parent / "postgres.sql").read_text(encoding="utf-8")
    text = text.replace("{SPACES}", _CLASSES[r"\s"] + _SPACE).replace("{WIDE}", _CLASSES[r"\p{Zs}"])
    return text.replace("{TYPOGRAPHIC}", TYPOGRAPHIC).replace("{PLAIN}", PLAIN)


def whole(compiled_: Compiled) -> str:
    """All statements: functions, then result, views, and the checks of the table."""
    lines = [
        "-- Made by Pravin. Reads the table delivered (__record, __file, __line and the columns as text).",
        functions(),
    ]
    lines += [commented(f"{number}. {sentence_of(rule)}") for number, rule in compiled_.plan.rules if rule.enabled]
    lines += [
        f"DROP TABLE IF EXISTS pravin.{RESULT} CASCADE;",
        f"CREATE TABLE {RESULT} AS",
        f"{translated(compiled_.plan.query)};",
        "",
    ]
    for name, query in (
        ("ready", compiled_.ready),
        ("quarantined", compiled_.quarantined),
        ("removed", compiled_.removed),
    ):
        lines.append(f"CREATE OR REPLACE VIEW {name} AS {translated(query)};")
    for verdict in compiled_.verdicts:
        lines += ["", commented(f"{verdict.rule}. {verdict.says}"), f"{translated(verdict.query)};"]
    return "\n".join(lines) + "\n"


def translated(query: exp.Expr) -> str:
    """A query in PostgreSQL's words."""
    tree = _ByName().parse(sql(query))[0]
    assert tree is not None
    for node in reversed(list(tree.bfs())):  # parts first, then the whole
        written = _put(node)
        if written is not node:
            tree = written if node is tree else tree
            node.replace(written)
    text: str = tree.sql(dialect="postgres")
    return text


_PATTERNED = (
    "regexp_full_match",
    "regexp_matches",
    "regexp_replace",
    "regexp_extract",
    "regexp_extract_all",
    "read_moment",
)
_TRY = {
    "DOUBLE": "try_double",
    "DECIMAL": "as_exact",
    "BIGINT": "try_bigint",
    "INT": "try_integer",
    "DATE": "try_date",
    "TIMESTAMP": "try_timestamp",
    "TIMESTAMPNTZ": "try_timestamp",
    "BOOLEAN": "try_boolean",
}


def _put(node: exp.Expr) -> exp.Expr:
    """One node in PostgreSQL's words."""
    if isinstance(node, exp.TryCast):
        kind = node.to.this.name
        if kind in ("VARCHAR", "TEXT"):
            return exp.cast(node.this, "text")
        inner = node.this if kind == "INT" else exp.cast(node.this, "text")
        return exp.Anonymous(this=_TRY[kind], expressions=[inner])
    if isinstance(node, exp.Mod):
        return exp.Anonymous(this="remainder_of", expressions=[node.this, node.expression])
    if isinstance(node, exp.Struct):
        return exp.Anonymous(this="jsonb_build_object", expressions=_pairs(node.expressions))
    if isinstance(node, exp.Anonymous):
        return _call(node)
    return node


def _one_after_the_other(lists: Sequence[exp.Expr]) -> exp.Expr:
    return reduce(lambda item, other: exp.Anonymous(this="array_cat", expressions=[item, other]), lists)


def _pairs(items: list[exp.Expr]) -> list[exp.Expr]:
    parts: list[exp.Expr] = []
    for item in items:
        key, value = item.this, item.expression
        parts += [exp.Literal.string(key.name), value]
    return parts


def _call(node: exp.Anonymous) -> exp.Expr:
    name, arguments = node.name.lower(), node.expressions
    if name in _PATTERNED and isinstance(arguments[1], exp.Literal):
        arguments = [arguments[0], exp.Literal.string(pattern(arguments[1].this)), *arguments[2:]]
        return exp.Anonymous(this=name, expressions=arguments)
    if name in ("last_value", "first_value") and isinstance(arguments[0], exp.IgnoreNulls):
        return exp.Anonymous(
            this="last_filled" if name == "last_value" else "first_filled", expressions=[arguments[0].this]
        )
    if name == "struct_pack":
        return exp.Anonymous(this="jsonb_build_object", expressions=_pairs(arguments))
    if name == "list_filter":  # chains filter lists for what is there only
        return exp.Anonymous(this="array_remove", expressions=[arguments[0], exp.null()])
    if name == "flatten":  # a list of lists of reasons: those that are there one after the other
        nothing = exp.cast(exp.Literal.string("{}"), "jsonb[]", dialect="postgres")
        return exp.Coalesce(this=_one_after_the_other(arguments[0].expressions), expressions=[nothing])
    if name == "list_concat":
        return _one_after_the_other(arguments)
    if name in ("arg_min", "arg_max"):
        value, order = arguments
        ordered = exp.Ordered(this=order, desc=name == "arg_max", nulls_first=False)
        listed = exp.Anonymous(this="array_agg", expressions=[exp.Order(this=value, expressions=[ordered])])
        return exp.Anonymous(this="list_extract", expressions=[listed, exp.Literal.number(1)])
    if name == "listagg":
        return exp.Anonymous(this="string_agg", expressions=arguments)
    if name == "list":
        return exp.Anonymous(this="array_agg", expressions=arguments)
    if name == "count_if":
        return exp.Filter(
            this=exp.Anonymous(this="count", expressions=[exp.Star()]), expression=exp.Where(this=arguments[0])
        )
    if name == "exact_sum":
        total = exp.Anonymous(this="sum", expressions=[exp.cast(exp.cast(arguments[0], "text"), "numeric")])
        return exp.cast(total, "double precision")
    if name == "quantile_cont":
        return exp.Anonymous(
            this="first_quartile" if arguments[1].name == "0.25" else "third_quartile", expressions=arguments[:1]
        )
    return node


def pattern(text: str) -> str:
    """A pattern of RE2 as one of PostgreSQL: classes of Unicode spelled out, a point that leaves line ends out."""
    results, at, inside = [], 0, False
    while at < len(text):
        if match := re.compile(r"\\p\{\w+\}|\\x\{([0-9A-Fa-f]+)\}|\\.", re.S).match(text, at):
            piece = match[0]
            if match[1]:
                results.append(f"\\u{int(match[1], 16):04x}")
            elif piece in _CLASSES:
                results.append(_CLASSES[piece] if inside else f"[{_CLASSES[piece]}]")
            elif piece in (r"\D", r"\S", r"\W"):
                results.append(f"[^{_CLASSES[piece.lower()]}]")
            elif piece == r"\b":
                results.append(r"\y")
            else:
                results.append(piece)
            at = match.end()
            continue
        if text.startswith("(?i:", at) or text.startswith("(?P<", at):
            at = _case_group(text, at, results)
            continue
        character = text[at]
        inside = (inside or character == "[") and not (inside and character == "]")
        results.append(r"[^\n]" if character == "." and not inside else character)
        at += 1
    return "".join(results)


def _case_group(text: str, at: int, made: list[str]) -> int:
    """A group whose letters are met in both cases: each letter as a class; a named group as a plain one."""
    if text.startswith("(?P<", at):
        made.append("(")
        return text.index(">", at) + 1
    depth, end = 1, at + 4
    while depth:
        depth += (text[end] == "(") - (text[end] == ")")
        end += 1
    inner = text[at + 4 : end - 1]
    made.append("(?:" + re.sub(r"(\\.)|([A-Za-z])", lambda f: f[1] or f"[{f[2].lower()}{f[2].upper()}]", inner) + ")")
    return end
