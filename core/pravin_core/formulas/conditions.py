"""Comparisons, and what joins them: true or false, and the choice between results."""

from __future__ import annotations

from sqlglot import exp

from pravin_core.formulas.checking import (
    MISSING,
    Checking,
    Typed,
)
from pravin_core.formulas.functions import (
    TEXT,
    TRUTH,
)


def joined(checking: Checking, node: exp.Expr) -> Typed:
    """Texts put together with ||."""
    assert isinstance(node, exp.Binary)
    left, right = _texts(checking, node)
    return Typed(exp.paren(exp.DPipe(this=left, expression=right)), TEXT)


def _texts(checking: Checking, node: exp.Binary) -> tuple[exp.Expr, exp.Expr]:
    """Both sides of ||. As in SQL, a number or date beside a text is written as one."""
    sides = (node.left, node.right)
    if not any(checking.of(side).type in (TEXT, MISSING) for side in sides):
        checking.fitting(node.left, TEXT, "“||”")
    left, right = (checking.as_text(side, "“||”") for side in sides)
    return left, right


def same_or_not(checking: Checking, node: exp.Expr) -> Typed:
    """is distinct from, is not distinct from: missing is equal to missing."""
    assert isinstance(node, exp.Binary)
    (left, right), _ = checking.alike([node.left, node.right], "A comparison")
    return Typed(exp.paren(type(node)(this=left, expression=right)), TRUTH)


def escaped(checking: Checking, node: exp.Expr) -> Typed:
    """like '…' escape '!'."""
    mark = node.expression
    if not (isinstance(mark, exp.Literal) and mark.is_string and len(mark.this) == 1):
        raise checking.wrong(mark, "escape needs one character, written out.", "As in x like '10!%' escape '!'.")
    if not isinstance(node.this, exp.Like | exp.ILike):
        raise checking.wrong(node, "escape belongs to like.", "As in x like '10!%' escape '!'.")
    pattern = node.this
    left, right = (checking.fitting(side, TEXT, "like") for side in (pattern.left, pattern.right))
    whole = exp.Escape(this=type(pattern)(this=left, expression=right), expression=mark.copy())
    return Typed(_negated(pattern, whole), TRUTH)


def compared(checking: Checking, node: exp.Expr) -> Typed:
    """Two things compared."""
    assert isinstance(node, exp.Binary)
    if any(isinstance(side, exp.GT | exp.GTE | exp.LT | exp.LTE) for side in (node.left, node.right)):
        raise checking.wrong(node, "Two comparisons stand in one.", "Write a < b and b < c, or b between a and c.")
    (left, right), _ = checking.alike([node.left, node.right], "A comparison")
    return Typed(exp.paren(type(node)(this=left, expression=right)), TRUTH)


def between(checking: Checking, node: exp.Expr) -> Typed:
    """Something between two others, both included."""
    (cell, low, high), _ = checking.alike([node.this, node.args["low"], node.args["high"]], "between")
    if node.args.get("symmetric"):
        low, high = (exp.Anonymous(this=name, expressions=[low.copy(), high.copy()]) for name in ("least", "greatest"))
    return Typed(exp.paren(exp.Between(this=cell, low=low, high=high)), TRUTH)


def one_of(checking: Checking, node: exp.Expr) -> Typed:
    """Something in a list of values."""
    if node.args.get("query") or node.args.get("unnest") or not node.expressions:
        raise checking.wrong(node, "in needs a list of values.", "Write them in brackets: in ('a', 'b').")
    results, _ = checking.alike([node.this, *node.expressions], "in")
    return Typed(exp.paren(exp.In(this=results[0], expressions=results[1:])), TRUTH)


def is_(checking: Checking, node: exp.Expr) -> Typed:
    """is null, is true, is false, and their opposites."""
    assert isinstance(node, exp.Binary)
    right = node.right
    if not isinstance(right, exp.Null | exp.Boolean):
        raise checking.wrong(node, "is goes with null, true and false.", "Compare with = instead.")
    cell = (
        checking.of(node.left).expression if isinstance(right, exp.Null) else checking.fitting(node.left, TRUTH, "is")
    )
    return Typed(_negated(node, exp.Is(this=cell, expression=right.copy())), TRUTH)


def _negated(node: exp.Expr, expression: exp.Expr) -> exp.Expr:
    """The comparison made of a part, or its opposite where the parser read "not" into the part itself."""
    expression = exp.paren(expression)
    return exp.paren(exp.not_(expression)) if node.args.get("negate") else expression


def like(checking: Checking, node: exp.Expr) -> Typed:
    """A text like a pattern."""
    assert isinstance(node, exp.Binary)
    left, right = (checking.fitting(side, TEXT, "like") for side in (node.left, node.right))
    return Typed(_negated(node, type(node)(this=left, expression=right)), TRUTH)


def and_or(checking: Checking, node: exp.Expr) -> Typed:
    """Conditions joined by and, or."""
    assert isinstance(node, exp.Binary)
    word = "and" if isinstance(node, exp.And) else "or"
    left, right = (checking.fitting(side, TRUTH, f"“{word}”") for side in (node.left, node.right))
    return Typed(exp.paren(type(node)(this=left, expression=right)), TRUTH)


def not_(checking: Checking, node: exp.Expr) -> Typed:
    """The opposite of a condition."""
    return Typed(exp.paren(exp.not_(checking.fitting(node.this, TRUTH, "not"))), TRUTH)


def case(checking: Checking, node: exp.Expr) -> Typed:
    """case when … then … else … end, and case x when … then … end."""
    asked = [
        exp.EQ(this=node.this.copy(), expression=arg.this.copy()) if node.this is not None else arg.this
        for arg in node.args["ifs"]
    ]
    conditions = [checking.fitting(condition, TRUTH, "when") for condition in asked]
    results = [arg.args["true"] for arg in node.args["ifs"]] + (
        [node.args["default"]] if node.args.get("default") else []
    )
    new_results, kind = checking.alike(results, "case")
    cases = [
        exp.If(this=condition, true=result)
        for condition, result in zip(conditions, new_results[: len(conditions)], strict=True)
    ]
    return Typed(
        exp.Case(ifs=cases, default=new_results[len(conditions)] if len(new_results) > len(conditions) else None), kind
    )
