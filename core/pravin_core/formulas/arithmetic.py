"""Calculating with numbers: as their decimal digits read, and exactly where exact decimals are asked for."""

from __future__ import annotations

from sqlglot import exp

from pravin_core.errors import FormulaError
from pravin_core.formulas import moments
from pravin_core.formulas.checking import (
    EXACT,
    HOW,
    MISSING,
    WORDS,
    Checking,
    Typed,
)
from pravin_core.formulas.functions import (
    NUMBER,
    TEXT,
)
from pravin_core.sql.trees import template

MOST_NAMED_TWICE = 400  # parts of a sum that are computed twice, to know its digits; beyond it 15 digits are kept


def calculated(checking: Checking, node: exp.Expr) -> Typed:
    """+ - * / and %."""
    assert isinstance(node, exp.Binary)
    if moments.is_about_dates(checking, node):
        return moments.calculated(checking, node)
    if exact := _exactly(checking, node):
        return exact
    if isinstance(node, exp.Add | exp.Sub):
        return Typed(_sum(checking, node), NUMBER)
    mark = {exp.Mul: "*", exp.Div: "/", exp.Mod: "%"}[type(node)]
    left, right = (_number(checking, side, mark) for side in (node.left, node.right))
    if mark != "*":
        right = template("nullif(:x, 0)", x=right)
    expression: exp.Expr = exp.paren(type(node)(this=left, expression=right))
    if mark == "*":  # as the decimal digits read: 1.1 * 3 is 3.3
        expression = template("neat_number(:x)", x=expression)
    return Typed(expression, NUMBER)


_EXACTLY: dict[type[exp.Expr], str] = {exp.Add: "exact_plus", exp.Sub: "exact_minus", exp.Mul: "exact_times"}


def _exactly(checking: Checking, node: exp.Binary) -> Typed | None:
    """+, - and * of exact decimals with each other, whole numbers and numbers written out, to the last digit."""
    name = _EXACTLY.get(type(node))
    if name is None:
        return None
    try:
        sides = [checking.of(side) for side in (node.left, node.right)]
    except FormulaError:
        return None  # told where the sides are asked for by name
    exact = [side.as_exact for side in sides]
    if None in exact or all(side.type != EXACT for side in sides):
        return None
    return Typed(exp.Anonymous(this=name, expressions=exact), EXACT)


def _sum(checking: Checking, node: exp.Binary) -> exp.Expr:
    """A chain of + and - as one sum, so that each number is named twice however long the chain is.

    As the decimal digits read: 0.1 + 0.2 is 0.3, and what cancels leaves no trace of binary fractions.
    """
    links: list[exp.Binary] = [node]
    while isinstance(left := links[-1].left, exp.Add | exp.Sub) and not moments.is_about_dates(checking, left):
        links.append(left)
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


def _number(checking: Checking, side: exp.Expr, mark: str, other: exp.Expr | None = None) -> exp.Expr:
    """One side of a calculation; `other` is the side across, to advise on texts that are added."""
    typed = checking.of(side)
    if typed.type not in (NUMBER, EXACT, MISSING):
        advice = HOW.get((typed.type, NUMBER), "Put a number here.")
        if mark == "+" and typed.type == TEXT and other is not None and checking.of(other).type == TEXT:
            advice = "Texts are put together with ||."
        raise checking.wrong(side, f"“{mark}” needs a number; this is {WORDS[typed.type]}.", advice)
    return exp.cast(typed.expression, "DOUBLE")


def negative(checking: Checking, node: exp.Expr) -> Typed:
    """A number with a minus before it."""
    typed = checking.of(node.this)
    exact = None if typed.as_exact is None else exp.paren(exp.Neg(this=typed.as_exact))
    if typed.type == EXACT and exact is not None:
        return Typed(exact, EXACT)
    return Typed(exp.paren(exp.Neg(this=checking.fitting(node.this, NUMBER, "“-”"))), NUMBER, exact)
