"""Calculating with dates: days and intervals added and taken off, days between two dates."""

from __future__ import annotations

from sqlglot import exp

from pravin_core.formulas import standard
from pravin_core.formulas.checking import EXACT, Checking, Typed
from pravin_core.formulas.functions import DATE, MOMENT, NUMBER

#: Of each unit of an interval: the formula that moves :a by :b of them, and whether a date stays a date.
UNITS: dict[str, tuple[str, bool]] = {
    "YEAR": ("add_years(:a, :b)", True),
    "QUARTER": ("add_months(:a, 3 * :b)", True),
    "MONTH": ("add_months(:a, :b)", True),
    "WEEK": ("add_days(:a, 7 * :b)", True),
    "DAY": ("add_days(:a, :b)", True),
    "HOUR": ("add_seconds(:a, 3600 * :b)", False),
    "MINUTE": ("add_seconds(:a, 60 * :b)", False),
    "SECOND": ("add_seconds(:a, :b)", False),
}


def is_about_dates(checking: Checking, node: exp.Expr) -> bool:
    """Whether a sum or difference has a date or an interval on one of its sides."""
    return isinstance(node, exp.Add | exp.Sub) and any(
        isinstance(side, exp.Interval) or checking.of(side).type in (DATE, MOMENT) for side in (node.left, node.right)
    )


def calculated(checking: Checking, node: exp.Binary) -> Typed:
    """A date and a number of days, or an interval; a date less a date."""
    left, right = node.left, node.right
    if isinstance(node, exp.Add) and (isinstance(left, exp.Interval) or checking.of(left).type in (NUMBER, EXACT)):
        left, right = right, left
    if isinstance(left, exp.Interval):
        raise checking.wrong(node, "An interval is added to a date.", "As in day + interval '7 days'.")
    start = checking.of(left).type
    if start not in (DATE, MOMENT):
        raise checking.wrong(left, "An interval, or a date, is taken off a date.", "As in day - interval '7 days'.")
    if isinstance(right, exp.Interval):
        return _moved(checking, node, left, start, *_parts(checking, right))
    kind = checking.of(right).type
    if kind in (NUMBER, EXACT):
        return _moved(checking, node, left, start, right, "DAY")
    if isinstance(node, exp.Sub) and start == kind == DATE:
        return checking.of(standard.formula("days_between(:b, :a)", {"a": left, "b": right}))
    mark = "+" if isinstance(node, exp.Add) else "-"
    raise checking.wrong(
        right, f"“{mark}” needs a number of days or an interval beside a date.",
        "days_between(a, b) and hours_between(a, b) give what lies between two moments.",
    )  # fmt: skip


def _moved(checking: Checking, node: exp.Binary, moment: exp.Expr, kind: str, many: exp.Expr, unit: str) -> Typed:
    text, stays = UNITS[unit]
    sign = "(-1 * :b)" if isinstance(node, exp.Sub) else ":b"
    text = text.replace(":b", sign)
    if stays and kind == DATE:
        text = f"day_only({text})"
    return checking.of(standard.formula(text, {"a": moment, "b": many}))


def _parts(checking: Checking, interval: exp.Interval) -> tuple[exp.Expr, str]:
    """How many of which unit: interval '7 days', interval '7' day, interval 7 day."""
    many, unit = interval.this, interval.args.get("unit")
    name = unit.name.upper().removesuffix("S") if isinstance(unit, exp.Var) else ""
    if isinstance(many, exp.Literal) and many.is_string:
        words = many.this.split()
        if len(words) == 2 and not name:
            name = words[1].upper().removesuffix("S")
        try:
            number = float(words[0]) if words else None
        except ValueError:
            number = None
        if number is None or len(words) > 2:
            name = ""
        else:
            many = exp.Literal.number(f"{abs(number):.15g}")
            many = exp.Neg(this=many) if number < 0 else many
    if name not in UNITS or many is None:
        raise checking.wrong(
            interval, "The interval cannot be read.", "Write one number and one unit, as in interval '7 days'; add several one by one."
        )  # fmt: skip
    return many, name
