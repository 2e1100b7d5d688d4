"""Give back the text that was turned into a date."""

from __future__ import annotations

import datetime as dt
from typing import ClassVar, Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Conversion, Corrected, Example, Part, as_text, text
from pravin_core.rules.labels import OTHERWISE
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column

_MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
_ORDERS = {"day-month": (":d", ":m"), "month-day": (":m", ":d")}


class UndoDate(Conversion):
    """Spreadsheets turn "5-10" into 05-Oct, 2024-10-05 or the serial number 45570 (days since 1899-12-30). The two numbers
    come back in the order wanted, with a mark between them. Serial numbers are taken only within the years given. What
    looks like a date but cannot be given back so is treated as chosen.
    """

    title = "Restore text turned into dates"
    group = "Repair"
    about = "Turns 05-Oct, 2024-10-05 or the serial number 45570 back into the text that a spreadsheet read as a date, such as 5-10."
    synonyms = (
        "give back what was turned into a date", "spreadsheet date", "serial number", "auto format", "range turned into date", "05-Oct",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"]},
            before={"a": ["05-Oct", "2024-10-05", "45570", "Oct-12", "10-12", "deep", None]},
            after={"a": ["5-10", "5-10", "5-10", "10-12", "10-12", "deep", None]},
        ),
        Example(
            rule={"columns": ["a"], "order": "month-day", "mark": "/", "months_back": False},
            before={"a": ["05-Oct", "1-Jan", None]},
            after={"a": ["10/5", "1/1", None]},
        ),
    )
    repairs_text: ClassVar[bool] = True

    kind: Literal["undo-date"] = "undo-date"
    order: Literal["day-month", "month-day"] = Field(
        default="day-month", title="Order", json_schema_extra={"widget": "choice"}
    )
    mark: str = Field(default="-", max_length=10, title="Mark between them")
    months_back: bool = Field(default=True, title="Oct-12 is month and number", json_schema_extra={"widget": "switch"})
    first_year: int = Field(
        default=1990, ge=1900, le=9999, title="Serial numbers from the year", json_schema_extra={"widget": "whole"}
    )
    last_year: int = Field(default=2050, ge=1900, le=9999, title="to the year", json_schema_extra={"widget": "whole"})
    unconverted: Literal["keep", "missing", "value", "quarantine"] = Field(  # type: ignore[assignment]
        default="keep",
        title="Dates that cannot be restored",
        json_schema_extra={"widget": "choice", "labels": OTHERWISE},
    )

    def sentence(self) -> list[Part]:
        return [text("Restore the values of "), *self.meant(), text(" that were turned into dates.")]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        old = template("trim(:c)", c=as_text(cell, column.type))
        months = exp.Array(expressions=[exp.Literal.string(month) for month in _MONTHS])
        named = template("list_position(:months, lower(regexp_extract(:c, '[A-Za-z]{3}', 0)))", months=months, c=old)
        number = template("CAST(regexp_extract(:c, '[0-9]{1,2}', 0) AS INTEGER)", c=old)
        word = "(?i:jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*"
        first, last = (
            self._serial(dt.date(year, month, day))
            for year, month, day in ((self.first_year, 1, 1), (self.last_year, 12, 31))
        )
        forms = (
            (rf"(?:0?[1-9]|[12]\d|3[01])[- .]{word}(?:[- .](?:\d{{2}}|\d{{4}}))?", number, named),
            (rf"{word}[- .](?:0?[1-9]|[12]\d|3[01])", named if self.months_back else number, number if self.months_back else named),
            (r"\d{4}-\d\d-\d\d(?:[ T]00:00(?::00)?)?", *self._parts(template("any_moment(left(:c, 10), '%Y-%m-%d')", c=old))),
        )  # fmt: skip
        value = exp.Case()
        for form, day, month in forms:
            value = value.when(self._fits(old, form), self._joined(day, month))
        serial = template(
            "CASE WHEN regexp_full_match(:c, '[0-9]{5}') AND CAST(left(:c, 5) AS INTEGER) BETWEEN :a AND :b THEN CAST(left(:c, 5) AS INTEGER) END",
            c=old, a=exp.Literal.number(first), b=exp.Literal.number(last),
        )  # fmt: skip
        value = value.when(
            template(":s IS NOT NULL", s=serial),
            self._joined(*self._parts(template("DATE '1899-12-30' + :s", s=serial))),
        )
        looks = template(
            "regexp_full_match(:c, :p)",
            c=old,
            p=exp.Literal.string(rf"\d{{1,2}}[- .]{word}.*|{word}[- .]\d.*|\d{{4}}-\d\d-\d\d.*"),
        )
        lost = template(":looks AND :v IS NULL", looks=looks, v=value)
        return Corrected(template("coalesce(:v, CASE WHEN NOT :none THEN :c END)", v=value, c=as_text(cell, column.type),
                                  none=exp.paren(lost) if self.unconverted != "keep" else exp.false()), unconverted=lost)  # fmt: skip

    def _fits(self, old: exp.Expr, form: str) -> exp.Expr:
        return template("regexp_full_match(:c, :p)", c=old, p=exp.Literal.string(form))

    def _joined(self, day: exp.Expr, month: exp.Expr) -> exp.Expr:
        text_, other = _ORDERS[self.order]
        parts = {":d": day, ":m": month}
        return template(
            "CAST(:a AS VARCHAR) || :t || CAST(:b AS VARCHAR)",
            a=parts[text_],
            t=exp.Literal.string(self.mark),
            b=parts[other],
        )

    def _parts(self, moment: exp.Expr) -> tuple[exp.Expr, exp.Expr]:
        return template("day(:m)", m=moment), template("month(:m)", m=moment)

    def _serial(self, day: dt.date) -> int:
        return (day - dt.date(1899, 12, 30)).days


KIND = UndoDate
