"""What rules about numbers share: numbers in typed columns, and in texts that read as numbers."""

from __future__ import annotations

from sqlglot import exp

from pravin_core.rules.base import Corrected, as_text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import NUMBERS, DataType


def number_in(cell: exp.Expr, column: Column) -> exp.Expr:
    """The number of a cell; missing where there is none."""
    if column.type in NUMBERS:
        return exp.cast(cell.copy(), "DOUBLE")
    return template("read_number(:c)", c=as_text(cell, column.type))


def of_numbers(cell: exp.Expr, column: Column, how: str, where: str = "true", **parts: exp.Expr) -> Corrected:
    """A cell computed from its number (:n in `how`); texts that are no number, and numbers that do not meet `where`, stay.

    A column of whole numbers stays one only where the result has no fraction; it becomes decimal otherwise.
    """
    number = number_in(cell, column)
    used = {name: part for name, part in parts.items() if f":{name}" in how}
    expression = template("neat_number(:x)", x=template(how, n=number, **used))
    asked = {name: part for name, part in parts.items() if f":{name}" in where}
    if ":n" in where:
        asked["n"] = number
    meant = template(":n IS NOT NULL AND :w", n=number, w=exp.paren(template(where, **asked)))
    if column.type is DataType.TEXT:
        new = template("write_number(:m)", m=expression)
        return Corrected(template("CASE WHEN :w THEN :m ELSE :c END", w=meant, m=new, c=cell.copy()))
    if column.type is DataType.EXACT:  # its other values stay as they are, to the last digit
        exact = template("CASE WHEN :w THEN as_exact(:m) ELSE :c END", w=meant, m=expression, c=cell.copy())
        return Corrected(exact, DataType.EXACT)
    kept = exp.cast(cell.copy(), "DOUBLE")
    value = template("CASE WHEN :w THEN :m ELSE :c END", w=meant, m=expression, c=kept)
    return Corrected(
        value,
        DataType.DECIMAL,
        written=template("write_number(:v)", v=value) if column.type is DataType.WHOLE else None,
    )
