"""Read text as numbers, with the marks the supplier uses."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import Conversion, Corrected, Example, Part, as_text, joined, text
from pravin_core.rules.labels import MARKS
from pravin_core.sql.trees import template
from pravin_core.sql.written import written
from pravin_core.tables.columns import Column
from pravin_core.tables.numbers import SIGNIFICANT_DIGITS, WHOLE_DIGITS, number_pattern, whole_pattern
from pravin_core.tables.types import NUMBERS, DataType

_BEFORE = re.compile(
    r"[A-Z]{3}|\W+"
)  # codes of currencies (ISO 4217) and signs; other units before a number are parts of codes


def _unit(text_: str) -> tuple[str, float]:
    """A unit as it is given, "kg" or "g = 0.001": its name, and what its numbers are multiplied by. Raises ValueError."""
    name, equals, factor = (part.strip() for part in text_.partition("="))
    if not equals:
        return name, 1.0
    try:
        number = float(factor.replace(",", "."))
    except ValueError:
        number = 0.0
    if not name or not 0 < abs(number) < float("inf"):
        raise ValueError(f"“{text_}” is no unit with a factor; write it as in g = 0.001")
    return name, number


def _unit_in_words(text_: str) -> str:
    name, factor = _unit(text_)
    return name if factor == 1 else f"{name} (times {factor:g})"


def _any_of(names: Sequence[str]) -> str:
    return "|".join(re.escape(name) for name in sorted(names, key=len, reverse=True))


class ToNumber(Conversion):
    """What does not read as a number becomes missing or sends the record to quarantine, never silently. Units stand behind the
    number; signs (€) and codes of currencies (EUR) also before it. One with a factor multiplies: `g = 0.001` beside `kg`.

    Numbers with more digits than the type keeps exactly (15 for decimals, 18 for whole numbers, with `exact` 28 before the
    point and 10 after it) do not convert.
    """

    title = "Convert to number"
    group = "Types"
    about = "Reads text as whole or decimal numbers. What is not a number is handled as chosen."
    synonyms = (
        "read as number", "cast", "numeric", "integer", "float", "decimal", "parse number", "currency",
        "percent", "unit", "money", "type",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "decimal": ",", "thousands": "."},
            before={"a": ["7,4", "1.234,5", " -3 ", "1,2,3", None]},
            after={"a": [7.4, 1234.5, -3.0, None, None]},
        ),
        Example(
            rule={"columns": ["a"], "whole": True},
            before={"a": ["12", "1.5", "0x1F", "1_000", None]},
            after={"a": [12, None, None, None, None]},
        ),
        Example(
            rule={"columns": ["a"], "exact": True, "brackets": True},
            before={"a": ["12345678901234567.89", "7.40", "1e3", "0.12345678901", "(0.5)", None]},
            after={"a": ["12345678901234567.89", "7.4", None, None, "-0.5", None]},
        ),
        Example(
            rule={
                "columns": ["a"],
                "units": ["mg/L", "m"],
                "limits": "half the limit",
                "percent": "as a share",
                "brackets": True,
            },
            before={"a": ["8.1 mg/L", "<0.05 mg/L", "12 %", "(3)", "4 km", None]},
            after={"a": [8.1, 0.025, 0.12, -3.0, None, None]},
        ),
        Example(
            rule={"columns": ["a"], "uncertainty": "the value", "unconverted": "value", "instead": "-1"},
            before={"a": ["112 ± 3", "7.4+/-0.2", "x", None]},
            after={"a": [112.0, 7.4, -1.0, None]},
        ),
        Example(
            rule={"columns": ["a"], "units": ["kg", "g = 0.001", "$", "EUR"], "thousands": ",", "brackets": True},
            before={"a": ["500 g", "2kg", "7", "$1,200", "-$3", "($35.50)", "EUR 12", "12 EUR", "kg 5", None]},
            after={"a": [0.5, 2.0, 7.0, 1200.0, -3.0, -35.5, 12.0, 12.0, None, None]},
        ),
    )
    reads_types: ClassVar[bool] = True

    kind: Literal["to-number"] = "to-number"
    whole: bool = Field(default=False, title="Whole numbers only", json_schema_extra={"widget": "switch"})
    exact: bool = Field(default=False, title="Keep up to 38 digits", json_schema_extra={"widget": "switch"})
    decimal: Literal[".", ","] = Field(
        default=".", title="Decimal mark", json_schema_extra={"widget": "choice", "labels": MARKS}
    )
    thousands: Literal["", ",", ".", " ", "'"] = Field(
        default="", title="Thousands mark", json_schema_extra={"widget": "choice", "labels": MARKS}
    )
    units: tuple[str, ...] = Field(
        default=(), max_length=50, title="Units and currencies",
        json_schema_extra={"widget": "tokens", "empty": "kg, or g = 0.001 to multiply"},
    )  # fmt: skip
    percent: Literal["no number", "as written", "as a share"] = Field(
        default="no number", title="Percent (12 %)", json_schema_extra={"widget": "choice"}
    )
    uncertainty: Literal["no number", "the value"] = Field(
        default="no number", title="Uncertainty (7.4 ± 0.2)", json_schema_extra={"widget": "choice"}
    )
    limits: Literal["no number", "the limit", "half the limit", "zero", "missing"] = Field(
        default="no number",
        title="Limits (<0.05)",
        json_schema_extra={"widget": "choice", "labels": {"missing": "becomes missing"}},
    )
    brackets: bool = Field(default=False, title="Brackets mean negative", json_schema_extra={"widget": "switch"})

    @model_validator(mode="after")
    def _marks_differ(self) -> Self:
        if self.decimal == self.thousands:
            raise ValueError("the decimal mark and the thousands mark cannot be the same")
        for unit in self.units:
            _unit(unit)
        if self.whole and self.exact:
            raise ValueError("whole numbers are exact already; 38 digits are for decimals")
        return self

    def sentence(self) -> list[Part]:
        marks = [text(" with decimal mark "), Part(text=self.decimal, data=True)] if self.decimal != "." else []
        if self.thousands:
            marks += [text(" and thousands mark "), Part(text=self.thousands.replace(" ", "space"), data=True)]
        if self.units:
            marks += [text(" without "), *joined([_unit_in_words(unit) for unit in self.units])]
        more = [
            each_text
            for requested, each_text in (
                (self.percent == "as a share", "percent as a share"),
                (self.percent == "as written", "percent as written"),
                (self.uncertainty != "no number", "without their uncertainty"),
                (self.limits != "no number", f"limits such as <0.05 as {self.limits}"),
                (self.brackets, "brackets as negative"),
            )
            if requested
        ]
        number = " to whole numbers" if self.whole else " to exact decimals" if self.exact else " to numbers"
        ways = [text(f" ({', '.join(more)})")] if more else []
        return [text("Convert "), *self.meant(), text(number), *marks, *ways, *self.otherwise()]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        target = DataType.WHOLE if self.whole else DataType.EXACT if self.exact else DataType.DECIMAL
        if column.type is target or (column.type in NUMBERS and not self.whole):  # read already
            read: exp.Expr = cell.copy()
            if column.type is not target:
                read = (
                    template("as_exact(:c)", c=as_text(cell, column.type))
                    if self.exact
                    else exp.cast(cell.copy(), "DOUBLE")
                )
            return Corrected(read, target, reading=True, written=as_text(cell, column.type))
        pattern = whole_pattern(self.thousands) if self.whole else number_pattern(self.decimal, self.thousands)
        bare, shape = self._bare(as_text(cell, column.type)), pattern.strip("^$")
        if bare == template("trim(:c)", c=as_text(cell, column.type)) and not self.thousands and self.decimal == ".":
            # nothing is taken away but spaces, which reading allows: to look past them costs less than to trim every cell
            bare, shape = as_text(cell, column.type), f" *(?:{shape}) *"
        plain = bare
        if self.thousands:
            plain = template("replace(:c, :t, '')", c=plain, t=exp.Literal.string(self.thousands))
        if self.decimal != ".":
            plain = template("replace(:c, :d, '.')", c=plain, d=exp.Literal.string(self.decimal))
        if self.exact:
            return self._exact(cell, bare, plain, shape)
        digits = WHOLE_DIGITS if self.whole else SIGNIFICANT_DIGITS
        # so few characters cannot be too many digits; counting these is dear
        significant = template(
            r"length(:p) <= :digits OR "
            r"length(ltrim(regexp_replace(regexp_replace(:p, '[eE].*$', ''), '\D', '', 'g'), '0')) <= :digits",
            p=plain, digits=exp.Literal.number(digits),
        )  # fmt: skip
        read_as = "try_cast(:p AS BIGINT)" if self.whole else "try_cast(:p AS DOUBLE)"
        is_finite = "" if self.whole else f" AND isfinite({read_as})"
        value = template(
            f"CASE WHEN regexp_full_match(:c, :pattern) AND :significant{is_finite} THEN {read_as} END",
            c=bare, pattern=exp.Literal.string(shape), significant=exp.paren(significant), p=plain,
        )  # fmt: skip
        as_read: exp.Expr = template(
            "CASE WHEN :v IS NOT NULL AND (:p LIKE ' %' OR :p LIKE '% ') THEN trim(:p) WHEN :v IS NOT NULL THEN :p END",
            v=value, p=plain,
        )  # fmt: skip
        lost = template(":c IS NOT NULL AND :v IS NULL", c=cell.copy(), v=value)
        for met, factor in self._scaled(as_text(cell, column.type)):
            scaled = template(
                "CASE WHEN :m THEN neat_number(:v * :f) ELSE :v END",
                m=met,
                v=value,
                f=exp.cast(exp.Literal.string(factor), "DOUBLE"),
            )
            value = template(f"CAST(:s AS {'BIGINT' if self.whole else 'DOUBLE'})", s=scaled)
            as_read = template("CASE WHEN :m THEN write_number(:v) ELSE :r END", m=met, v=value, r=as_read)
        return self._told(Corrected(value, target, lost, reading=True, written=as_read), cell)

    def _exact(self, cell: exp.Expr, bare: exp.Expr, plain: exp.Expr, shape: str) -> Corrected:
        value = template(
            "CASE WHEN regexp_full_match(:c, :p) THEN read_exact(:t) END", c=bare, p=exp.Literal.string(shape), t=plain
        )
        as_read: exp.Expr = template("CASE WHEN :v IS NOT NULL THEN trim(:p) END", v=value, p=plain)
        lost = template(":c IS NOT NULL AND :v IS NULL", c=cell.copy(), v=value)
        for met, factor in self._scaled(cell):
            by = template("as_exact(:f)", f=exp.Literal.string(factor))
            value = template("CASE WHEN :m THEN exact_times(:v, :f) ELSE :v END", m=met, v=value, f=by)
            as_read = template("CASE WHEN :m THEN :w ELSE :r END", m=met, w=written(value, DataType.EXACT), r=as_read)
        return self._told(Corrected(value, DataType.EXACT, lost, reading=True, written=as_read), cell)

    def _told(self, read: Corrected, cell: exp.Expr) -> Corrected:
        """What was read, with limits missing where that is wanted."""
        if self.limits != "missing":
            return read
        met = template("regexp_full_match(trim(:c), '[<>≤≥].*')", c=cell)
        assert read.unconverted is not None
        lost = template(":l AND NOT :m", l=exp.paren(read.unconverted), m=met)
        return replace(read, value=template("CASE WHEN NOT :m THEN :v END", m=met, v=read.value), unconverted=lost)

    def _bare(self, old: exp.Expr) -> exp.Expr:
        """The text without spaces around it and without what is read apart: units, percent, limits, brackets."""
        bare = template("trim(:c)", c=old)

        def without(pattern: str, by: str = "") -> None:
            nonlocal bare
            bare = template(
                "regexp_replace(:c, :p, :b)", c=bare, p=exp.Literal.string(pattern), b=exp.Literal.string(by)
            )

        if self.limits != "no number":
            without(r"^[<>≤≥] *")
        if self.units:
            without(self._unit_behind(), r"\2")
            if before := self._unit_before():
                without(before, r"\1")
        if self.percent != "no number":
            without(r" *%$")
        if self.uncertainty != "no number":
            without(r" *(?:±|\+/-|\+-) *[0-9.,]+$")
            if self.units:
                without(self._unit_behind(), r"\2")
        if self.brackets:
            without(r"^\((.*)\)$", r"-\1")
        return bare

    def _unit_behind(self) -> str:
        """The pattern of a unit behind the number, the closing bracket that may follow as its second group."""
        return rf" *({_any_of([_unit(unit)[0] for unit in self.units])})(\)?)$"

    def _unit_before(self) -> str:
        """The pattern of a currency before the number, the sign or bracket before it as its first group; empty for none."""
        names = [name for name in (_unit(unit)[0] for unit in self.units) if _BEFORE.fullmatch(name)]
        return rf"^([+-]?|\() *(?:{_any_of(names)}) *" if names else ""

    def _scaled(self, old: exp.Expr) -> list[tuple[exp.Expr, str]]:
        """Which texts are multiplied after reading, and by what."""
        scaled = []
        for unit in self.units:
            name, times = _unit(unit)
            if times != 1:
                stands = template("regexp_extract(trim(:c), :p, 1) = :u", c=old, p=self._unit_behind(), u=name)
                scaled.append((stands, repr(times)))
        if self.percent == "as a share":
            scaled.append((template("ends_with(trim(:c), '%')", c=old), "0.01"))
        if self.limits in ("half the limit", "zero"):
            factor = "0.5" if self.limits == "half the limit" else "0"
            scaled.append((template("regexp_matches(trim(:c), '^[<>≤≥]')", c=old), factor))
        return scaled


KIND = ToNumber
