"""Functions over a group of records, written as in SQL (ISO/IEC 9075-2, window functions):

    sum(amount) over (partition by station)
    lag(level) over (partition by station order by day)

Bounded: a column is the place of a group or an order, a frame counts rows, and none stands within another. Where no order
is written, records stand in the order of the table; equal ones keep it, so that the result is the same at every run.
Missing values come last in an order and form a group of their own. Removed records belong to no group.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from sqlglot import exp

from pravin_core.errors import FormulaError
from pravin_core.formulas.checking import EXACT, MISSING, Checking, Typed
from pravin_core.formulas.functions import FUNCTIONS, LIST, NUMBER
from pravin_core.sql.trees import column as named
from pravin_core.sql.trees import template
from pravin_core.tables.columns import GONE, RECORD
from pravin_core.tables.types import SQL_TYPES, DataType

#: What it adds up, where it stands in an order, or which record it takes a value from.
TOTAL, PLACE, VALUE = "total", "place", "value"


@dataclass(frozen=True)
class OverFunction:
    """A function over a group. `kind` says what it does, `sql` is its name in the engine, `takes` the type of its value (nothing
    where it takes none), `options` what may follow: whole numbers written out, or the `default` of the value's type.
    """

    name: str
    kind: str
    about: str
    example: str
    sql: str = ""
    takes: str = ""  # "number", "any" or nothing
    options: tuple[str, ...] = ()
    needs_order: bool = False

    @property
    def signature(self) -> str:
        """What it takes and gives, as it is read."""
        gives = self.takes if self.kind == VALUE or self.name in ("min", "max") else "number"
        takes = ", ".join([self.takes] * bool(self.takes) + [f"{option}?" for option in self.options])
        return f"{takes} -> {'same' if gives == 'any' else gives}"

    @property
    def insert(self) -> str:
        """What is typed for it, with | at the cursor."""
        order = " order by " if self.kind != TOTAL else ""
        argument = "|" if self.takes or self.options else ""
        return f"{self.name}({argument}) over (partition by {'' if argument else '|'}{order})"


_ALL = (
    OverFunction("sum", TOTAL, "The sum of the group; a running sum where an order is given.", "sum(amount) over (partition by station)", "fsum", "number"),
    OverFunction("avg", TOTAL, "The mean of the group.", "avg(amount) over (partition by station)", "avg", "number"),
    OverFunction("count", TOTAL, "How many records of the group have a value; count(*) counts all.", "count(*) over (partition by station)", "count", "any"),
    OverFunction("min", TOTAL, "The smallest value of the group.", "min(level) over (partition by station)", "min", "any"),
    OverFunction("max", TOTAL, "The largest value of the group.", "max(level) over (partition by station)", "max", "any"),
    OverFunction("median", TOTAL, "The median of the group.", "median(level) over (partition by station)", "median", "number"),
    OverFunction("stddev", TOTAL, "The standard deviation of the group, of a sample.", "stddev(level) over (partition by station)", "stddev_samp", "number"),
    OverFunction("row_number", PLACE, "The place of the record in its group, from 1.", "row_number() over (partition by station order by day)", "row_number"),
    OverFunction("rank", PLACE, "The rank in the group; equal ones share it and the next are left out.", "rank() over (order by amount desc)", "rank", needs_order=True),
    OverFunction("dense_rank", PLACE, "The rank in the group; equal ones share it and none is left out.", "dense_rank() over (order by amount desc)", "dense_rank", needs_order=True),
    OverFunction("percent_rank", PLACE, "The rank from 0 to 1.", "percent_rank() over (order by amount)", "percent_rank", needs_order=True),
    OverFunction("ntile", PLACE, "The group in so many parts of equal size, in order.", "ntile(4) over (order by amount)", "ntile", options=("parts",)),
    OverFunction("lag", VALUE, "The value of the record before, or of so many before.", "lag(level) over (partition by station order by day)", "lag", "any", ("offset", "default")),
    OverFunction("lead", VALUE, "The value of the record after, or of so many after.", "lead(level) over (partition by station order by day)", "lead", "any", ("offset", "default")),
    OverFunction("first_value", VALUE, "The value of the first record of the group.", "first_value(level) over (partition by station order by day)", "first_value", "any"),
    OverFunction("last_value", VALUE, "The value of the last record of the group so far.", "last_value(level) over (partition by station order by day)", "last_value", "any"),
)  # fmt: skip
OVER_FUNCTIONS: dict[str, OverFunction] = {function.name: function for function in _ALL}
_MEANT = {"mean": "avg", "average": "avg", "stddev_samp": "stddev", "std": "stddev", "sd": "stddev", "total": "sum"}

ELSEWHERE = "Write it into a column first: Add rule, “Compute by a formula”."


def over(checking: Checking, node: exp.Expr) -> Typed:
    """A call with over (…)."""
    assert isinstance(node, exp.Window)
    if not checking.sees_others:
        raise checking.wrong(node, "This looks at each record by itself; over (…) looks at others.", ELSEWHERE)
    call = node.this
    if not isinstance(call, exp.Anonymous):
        raise _unknown_form(checking, node)
    function = OVER_FUNCTIONS.get(_MEANT.get(call.name.lower(), call.name.lower()))
    if function is None:
        what = "works on one record" if call.name.lower() in FUNCTIONS else "is not known here"
        known = ", ".join(OVER_FUNCTIONS)
        raise checking.wrong(node, f"“{call.name}” {what}; over cannot follow it.", f"Before over stand {known}.")
    if inner := next((part for part in node.find_all(exp.Window) if part is not node), None):
        raise checking.wrong(inner, "over (…) stands within another.", ELSEWHERE)
    if node.args.get("alias"):
        raise checking.wrong(node, "A window has no name here.", f"As in {function.example}.")
    return _MAKERS[function.kind](checking, node, call, function)


def without_over(name: str, sees_others: bool) -> str:
    """What is advised where a function of groups is called without over; empty when it is none."""
    function = OVER_FUNCTIONS.get(_MEANT.get(name, name))
    if function is None:
        return ""
    written = f"Over a group of records it is written {function.example}."
    return written if sees_others else f"This looks at one record. {written} {ELSEWHERE}"


def _unknown_form(checking: Checking, node: exp.Expr) -> FormulaError:
    return checking.wrong(
        node, "This form of over (…) is not known here.", "As in sum(amount) over (partition by station)."
    )


def _arguments(
    checking: Checking, call: exp.Anonymous, function: OverFunction
) -> tuple[exp.Expr | None, list[exp.Expr]]:
    """The value, if one is taken, and the options of a call."""
    parts = list(call.expressions)
    least = 1 if function.takes else len(function.options)
    most = bool(function.takes) + len(function.options)
    if not least <= len(parts) <= most:
        some = {0: "no arguments", 1: "1 argument"}.get(most, f"{least} to {most} arguments")
        raise checking.wrong(
            call, f"{function.name} takes {some}; here are {len(parts)}.", f"As in {function.example}."
        )
    for part in parts:
        if isinstance(part, exp.Star) and function.name == "count":
            continue
        if not isinstance(part, exp.Expression) or isinstance(
            part, exp.Star | exp.Distinct | exp.IgnoreNulls | exp.RespectNulls
        ):
            raise checking.wrong(
                call, f"{function.name} takes a column or an expression.", f"As in {function.example}."
            )
    return (parts[0], parts[1:]) if function.takes else (None, parts)


def _groups(checking: Checking, node: exp.Window) -> list[exp.Expr]:
    parts: list[exp.Expr] = [template(":g IS NULL", g=named(GONE))]
    for each_part in node.args.get("partition_by") or []:
        typed = checking.of(each_part)
        if typed.type == LIST:
            raise checking.wrong(each_part, "A group cannot be a list.", "Write a column.")
        parts.append(typed.expression)
    return parts


def _order(checking: Checking, node: exp.Window, in_table: bool) -> exp.Order | None:
    """The order that is written; with `in_table` equal records, or all where none is written, stand as in the table."""
    written = node.args.get("order")
    ordered: list[exp.Expr] = []
    for each_order in written.expressions if written else []:
        if not isinstance(each_order, exp.Ordered) or each_order.args.get("with_fill"):
            raise _unknown_form(checking, node)
        typed = checking.of(each_order.this)
        if typed.type == LIST:
            raise checking.wrong(each_order.this, "A list has no order.", "Write a column.")
        ordered.append(
            exp.Ordered(
                this=typed.expression,
                desc=bool(each_order.args.get("desc")),
                nulls_first=bool(each_order.args.get("nulls_first")),
            )
        )
    if in_table:
        ordered.append(exp.Ordered(this=named(RECORD)))
    return exp.Order(expressions=ordered) if ordered else None


def _window(
    call: exp.Expr, groups: list[exp.Expr], order: exp.Order | None, frame: exp.WindowSpec | None
) -> exp.Window:
    return exp.Window(this=call, partition_by=[part.copy() for part in groups], order=order, spec=frame)


_WHOLE = {"kind": "ROWS", "start": "UNBOUNDED", "start_side": "PRECEDING", "end": "UNBOUNDED", "end_side": "FOLLOWING"}
_SO_FAR = {"kind": "ROWS", "start": "UNBOUNDED", "start_side": "PRECEDING", "end": "CURRENT ROW"}


def _frame(checking: Checking, node: exp.Window) -> exp.WindowSpec | None:
    """The frame that is written, which counts rows."""
    spec = node.args.get("spec")
    if spec is None:
        return None
    sides = {"preceding", "following", "PRECEDING", "FOLLOWING"}
    end = spec.args.get("end") or "CURRENT ROW"
    bounds = (spec.args.get("start"), spec.args.get("start_side")), (end, spec.args.get("end_side"))
    is_known = str(spec.args.get("kind")).upper() == "ROWS" and not spec.args.get("exclude") and all(
        str(bound).upper() == "CURRENT ROW"
        or (side in sides and (str(bound).upper() == "UNBOUNDED" or (isinstance(bound, exp.Literal) and bound.is_int)))
        for bound, side in bounds
    )  # fmt: skip
    if not is_known:
        raise checking.wrong(node, "This frame is not known here.", "As in rows between 2 preceding and current row.")
    (start, start_side), (end, end_side) = (
        (bound if isinstance(bound, exp.Literal) else str(bound).upper(), str(side or "").upper() or None)
        for bound, side in bounds
    )
    return exp.WindowSpec(kind="ROWS", start=start, start_side=start_side, end=end, end_side=end_side)


def _total(checking: Checking, node: exp.Window, call: exp.Anonymous, function: OverFunction) -> Typed:
    value, _ = _arguments(checking, call, function)
    assert value is not None
    frame, has_order = _frame(checking, node), bool(node.args.get("order"))
    groups = _groups(checking, node)

    def whole(name: str, argument: exp.Expr) -> exp.Expr:
        # without an order all of the group, added up in the order of the table: the last digit is the same at every run
        in_table = not has_order or frame is not None
        rows = frame.copy() if frame else None if has_order else exp.WindowSpec(**_WHOLE)
        return _window(
            exp.Anonymous(this=name, expressions=[argument.copy()]), groups, _order(checking, node, in_table), rows
        )

    if isinstance(value, exp.Star):
        return Typed(exp.cast(whole("count", exp.Literal.number(1)), "DOUBLE"), NUMBER)
    typed = checking.of(value)
    if typed.type == LIST:
        raise checking.wrong(value, f"{function.name} cannot look at a list.", "items(…) counts its items.")
    if function.name == "count":
        return Typed(exp.cast(whole("count", typed.expression), "DOUBLE"), NUMBER)
    if function.takes == "any":
        return _as_was(whole(function.sql, typed.expression), typed)
    if typed.type == EXACT and function.name == "sum":
        return _as_was(whole("sum", typed.expression), typed)
    number = checking.fitting(value, NUMBER, function.name)
    if function.name == "avg":
        mean = template("neat_number(:s / nullif(:n, 0))", s=whole("fsum", number), n=whole("count", number))
        return Typed(mean, NUMBER)
    return Typed(template("neat_number(:x)", x=exp.cast(whole(function.sql, number), "DOUBLE")), NUMBER)


def _as_was(window: exp.Expr, typed: Typed) -> Typed:
    """A value of the type of those it is taken from."""
    if typed.type == EXACT:
        return Typed(exp.cast(window, SQL_TYPES[DataType.EXACT]), EXACT)
    return Typed(exp.cast(window, "VARCHAR"), MISSING) if typed.type == MISSING else Typed(window, typed.type)


def _place(checking: Checking, node: exp.Window, call: exp.Anonymous, function: OverFunction) -> Typed:
    _, options = _arguments(checking, call, function)
    if function.needs_order and not node.args.get("order"):
        raise checking.wrong(node, f"{function.name} needs order by.", f"As in {function.example}.")
    if node.args.get("spec"):
        raise checking.wrong(node, f"{function.name} has no frame.", f"As in {function.example}.")
    numbers = [_whole_number(checking, option, function) for option in options]
    window = _window(
        exp.Anonymous(this=function.sql, expressions=numbers),
        _groups(checking, node), _order(checking, node, not function.needs_order), None,
    )  # fmt: skip
    return Typed(exp.cast(window, "DOUBLE"), NUMBER)


def _value(checking: Checking, node: exp.Window, call: exp.Anonymous, function: OverFunction) -> Typed:
    value, options = _arguments(checking, call, function)
    assert value is not None
    typed = checking.of(value)
    if typed.type == LIST:
        raise checking.wrong(value, f"{function.name} cannot look at a list.", "join_items(…, ', ') writes it as text.")
    frame = _frame(checking, node)
    parts = [typed.expression]
    if function.options:
        if frame:
            raise checking.wrong(node, f"{function.name} has no frame.", f"As in {function.example}.")
        parts += [_whole_number(checking, option, function) for option in options[:1]]
        if options[1:]:
            both, kind = checking.alike([value, options[1]], function.name)
            typed = Typed(both[0], kind)
            parts = [both[0], parts[1], both[1]]
    elif frame is None:
        frame = exp.WindowSpec(**(_SO_FAR if node.args.get("order") else _WHOLE))
    window = _window(
        exp.Anonymous(this=function.sql, expressions=parts),
        _groups(checking, node), _order(checking, node, True), frame,
    )  # fmt: skip
    return _as_was(window, typed)


def _whole_number(checking: Checking, part: exp.Expr, function: OverFunction) -> exp.Expr:
    if not (isinstance(part, exp.Literal) and part.is_int and 0 < int(part.this) < 1_000_000):
        raise checking.wrong(
            part, f"{function.name} needs a whole number from 1 written out here.", f"As in {function.example}."
        )
    return exp.Literal.number(int(part.this))


_MAKERS: dict[str, Callable[[Checking, exp.Window, exp.Anonymous, OverFunction], Typed]] = {
    TOTAL: _total, PLACE: _place, VALUE: _value,
}  # fmt: skip
