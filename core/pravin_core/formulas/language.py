"""Check a formula against the columns, and make the engine's expression of it.

A formula is one SQL expression over the columns of a record. Only what is listed here and in `functions` may stand in it:
no queries, no functions that see files or the outside; other records only by `over (…)`, where that is allowed. Everything
else is refused with its position.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlglot import exp

from pravin_core.errors import FormulaError
from pravin_core.formulas import arithmetic, calls, conditions, standard, values, windows
from pravin_core.formulas.checking import (
    AS_COLUMNS,
    MISSING,
    OF_COLUMNS,
    WORDS,
    Checking,
    Make,
    Part,
    Typed,
)
from pravin_core.formulas.functions import (
    LIST,
    NUMBER,
    TEXT,
    TRUTH,
)
from pravin_core.formulas.reading import read
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

# zero has no sign; names the number once, which may be a look at many records
_FINITE_ONCE = "nullif(nullif(nullif(:x, CAST('inf' AS DOUBLE)), CAST('-inf' AS DOUBLE)), CAST('nan' AS DOUBLE)) + 0.0"


@dataclass(frozen=True)
class Formula:
    """A checked formula: the engine's expression, its type as a column, and the columns it reads."""

    expression: exp.Expr
    type: DataType
    reads: tuple[str, ...]

    @property
    def sees_others(self) -> bool:
        """Whether the result depends on other records too."""
        return self.expression.find(exp.Window) is not None


def parse(text: str, columns: Sequence[Column], sees_others: bool = False) -> Formula:
    """Check a formula over columns; with `sees_others` parts may look at other records. Raises FormulaError with the place of
    what is wrong.
    """
    tree = read(text)
    checking = Checking(text, columns, _PARTS, sees_others)
    typed = checking.of(tree)
    if typed.type == LIST:
        raise checking.wrong(tree, "The result is a list.", "join_items(…, ', ') writes a list as one text.")
    expression = typed.expression
    if typed.type == TEXT:
        expression = template("nullif(:x, '')", x=expression)
    elif typed.type == NUMBER:
        finite = "CASE WHEN isfinite(:x) THEN :x + 0.0 END" if not expression.find(exp.Window) else _FINITE_ONCE
        expression = template(finite, x=expression)
    elif typed.type == MISSING:
        expression = exp.cast(expression, "VARCHAR")
    return Formula(expression, AS_COLUMNS[typed.type], tuple(checking.read))


def condition(text: str, columns: Sequence[Column]) -> Formula:
    """Check a formula that must be true or false."""
    formula = parse(text, columns)
    if formula.type is not DataType.BOOLEAN:
        raise FormulaError(
            f"The condition gives {WORDS[OF_COLUMNS[formula.type]]}; it must hold or not.", start=0, end=len(text),
            advice="Compare it with something, as in ph > 7.",
        )  # fmt: skip
    return formula


def placed(expression: exp.Expr, cells: Mapping[str, exp.Expr]) -> exp.Expr:
    """A formula's expression with its columns read from elsewhere, such as another table of a join."""

    def put(node: exp.Expr) -> exp.Expr:
        return cells.get(node.name, node).copy() if isinstance(node, exp.Column) else node

    new_expression: exp.Expr = expression.transform(put)
    return new_expression


def _beside(checking: Checking, node: exp.Expr) -> Typed:
    """Two things without an operator read as a thing and its other name."""
    other = str(node.args.get("alias") or "")
    raise checking.wrong(
        node,
        f"An operator is missing before “{other}”.",
        "Put one between them, such as || or +, or brackets after a function.",
    )


def _parts() -> dict[type[exp.Expr], Part]:
    """By exact type: a node of a derived type means something else."""
    sides = "this expression"
    rows: tuple[tuple[tuple[type[exp.Expr], ...], Make, str], ...] = (
        ((exp.Column,), values.of_column, "this table"),
        ((exp.Literal,), values.written_out, "this is_string"),
        ((exp.Boolean,), lambda _, node: Typed(node.copy(), TRUTH), "this"),
        ((exp.Null,), lambda _, node: Typed(node.copy(), MISSING), ""),
        ((exp.Paren,), lambda checking, node: checking.of(node.this), "this"),
        ((exp.Alias,), _beside, "this alias"),
        ((exp.Anonymous,), calls.call, "this expressions"),
        ((exp.If,), calls.if_, "this true false"),
        ((exp.Cast,), values.of_moment, "this to"),
        ((exp.TryCast,), standard.cast, "this to safe"),
        ((exp.Extract,), standard.extracted, "this expression"),
        ((exp.Substring,), standard.cut, "this start length"),
        ((exp.StrPosition,), standard.placed_in, "this substr"),
        ((exp.Trim,), standard.trimmed, "this expression position"),
        ((exp.Overlay,), standard.overlaid, "this expression from_ for_"),
        ((exp.NullSafeEQ, exp.NullSafeNEQ), conditions.same_or_not, sides),
        ((exp.Escape,), conditions.escaped, sides),
        ((exp.DPipe,), conditions.joined, f"{sides} safe"),
        ((exp.Add, exp.Sub, exp.Mul, exp.Mod), arithmetic.calculated, sides),
        ((exp.Div,), arithmetic.calculated, f"{sides} typed safe"),
        ((exp.EQ, exp.NEQ, exp.GT, exp.GTE, exp.LT, exp.LTE), conditions.compared, sides),
        ((exp.Between,), conditions.between, "this low high symmetric"),
        ((exp.In,), conditions.one_of, "this expressions query unnest field"),
        ((exp.Is,), conditions.is_, f"{sides} negate"),
        ((exp.Like, exp.ILike), conditions.like, f"{sides} negate"),
        ((exp.And, exp.Or), conditions.and_or, sides),
        ((exp.Not,), conditions.not_, "this"),
        ((exp.Neg,), arithmetic.negative, "this"),
        ((exp.Case,), conditions.case, "this ifs default"),
        ((exp.Window,), windows.over, "this partition_by order spec over alias"),
    )
    return {kind: Part(make, frozenset(names.split())) for kinds, make, names in rows for kind in kinds}


_PARTS = _parts()
