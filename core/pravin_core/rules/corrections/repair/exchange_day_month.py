"""Exchange day and month of dates that lie outside a window."""

from __future__ import annotations

import datetime as dt
from typing import ClassVar, Literal

from pydantic import Field, field_validator
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, text
from pravin_core.rules.moments import moment_read
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.dates import pattern
from pravin_core.tables.types import DataType


class ExchangeDayMonth(ColumnCorrection):
    """Only where the date as written lies outside of the window and the exchanged one inside."""

    title = "Swap day and month"
    group = "Repair"
    about = "Swaps day and month of the dates outside a window when that brings them inside."
    synonyms = ("exchange day and month", "american dates", "us date", "mm/dd", "dd/mm", "ambiguous date")
    examples = (
        Example(
            rule={"columns": ["a"], "format": "%d/%m/%Y", "low": "2024-03-01", "high": "2024-03-31"},
            before={"a": ["03/07/2024", "17/03/2024", "05/09/2024", None]},
            after={"a": ["07/03/2024", "17/03/2024", "05/09/2024", None]},
        ),
    )
    repairs_text: ClassVar[bool] = True

    kind: Literal["exchange-day-month"] = "exchange-day-month"
    format: str = Field(default="%Y-%m-%d", max_length=40, title="Dates are written")
    low: str = Field(max_length=10, title="Expected from", json_schema_extra={"widget": "bound"})
    high: str = Field(max_length=10, title="Expected to", json_schema_extra={"widget": "bound"})

    @field_validator("low", "high")
    @classmethod
    def _a_date(cls, bound: str) -> str:
        try:
            dt.date.fromisoformat(bound)
        except ValueError:
            raise ValueError(f"the limit {bound!r} is not a date like 2024-03-01") from None
        return bound

    @field_validator("format")
    @classmethod
    def _has_both(cls, written: str) -> str:
        pattern(written)
        if "%d" not in written or "%m" not in written or "%H" in written:
            raise ValueError(f"the format {written!r} needs a day (%d) and a month (%m) and no time")
        return written

    def sentence(self) -> list[Part]:
        return [
            text("Swap day and month in "), *self.meant(),
            text(f" where only that brings the date into {self.low} to {self.high}."),
        ]  # fmt: skip

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        low, high = (exp.cast(exp.Literal.string(bound), "DATE") for bound in (self.low, self.high))
        other = self.format.replace("%d", "%\x01").replace("%m", "%d").replace("%\x01", "%m")
        if column.type in (DataType.DATE, DataType.DATETIME):
            now: exp.Expr = exp.cast(cell.copy(), "TIMESTAMP")
            new = template("any_moment(write_moment(:c, '%Y-%d-%m %H:%M:%S'), '%Y-%m-%d %H:%M:%S')", c=cell.copy())
            value: exp.Expr = exp.cast(new, "DATE" if column.type is DataType.DATE else "TIMESTAMP")
        else:
            now, new = self._read(cell, self.format), self._read(cell, other)
            value = template("write_moment(:new, :format)", new=new, format=exp.Literal.string(self.format))
        wrong = template(
            ":now NOT BETWEEN :low AND :high AND :new BETWEEN :low AND :high",
            now=exp.paren(now), new=exp.paren(new), low=low, high=high,
        )  # fmt: skip
        return Corrected(template("CASE WHEN :w THEN :v ELSE :c END", w=wrong, v=value, c=cell.copy()), column.type)

    def _read(self, cell: exp.Expr, form: str) -> exp.Expr:
        return moment_read(cell.copy(), form)


KIND = ExchangeDayMonth
