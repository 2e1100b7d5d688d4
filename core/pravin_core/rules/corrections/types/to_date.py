"""Read text as dates, trying a list of formats in order."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

from pydantic import Field, field_validator, model_validator
from sqlglot import exp

from pravin_core.rules.base import Conversion, Corrected, Example, Part, as_text, joined, text
from pravin_core.rules.moments import moment_read
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.dates import SHORT_YEARS, pattern
from pravin_core.tables.types import DataType

# days since 1899-12-30, of the years 1954 to 2064; a fraction is a time of the day and no date
_COUNTED = """CASE WHEN regexp_full_match(trim(:c), '[1-5][0-9]{4}([.]0+)?')
  THEN CAST(DATE '1899-12-30' + CAST(left(trim(:c), 5) AS INTEGER) AS TIMESTAMP) END"""


class ToDate(Conversion):
    """The first format whose pattern and calendar a text fits is taken. A year must have the digits written."""

    title = "Convert to date"
    group = "Types"
    about = "Reads text as dates, trying the formats in order. What fits none of them is handled as chosen."
    synonyms = (
        "read as date", "parse date", "cast date", "date format", "datetime", "timestamp", "strptime",
        "type", "serial number", "excel date",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "formats": ["%Y-%m-%d", "%d.%m.%Y"]},
            before={"a": ["2024-03-17", "17.3.2024", "31.2.2024", "5/6/24", None]},
            after={"a": ["2024-03-17", "2024-03-17", None, None, None]},
        ),
        Example(
            rule={"columns": ["a"], "formats": ["%d.%m.%y"], "last_short_year": 2030},
            before={"a": ["17.3.30", "17.3.31", "29.2.00", None]},
            after={"a": ["2030-03-17", "1931-03-17", "2000-02-29", None]},
        ),
        Example(
            rule={"columns": ["a"], "formats": ["%Y-%m-%d"], "serial_numbers": True},
            before={"a": ["2024-03-17", "45368", "45368.0", "7", "99999", None]},
            after={"a": ["2024-03-17", "2024-03-17", "2024-03-17", None, None, None]},
        ),
    )
    reads_types: ClassVar[bool] = True

    kind: Literal["to-date"] = "to-date"
    formats: tuple[str, ...] = Field(
        min_length=1, max_length=30, title="Formats, in order", json_schema_extra={"widget": "formats"}
    )

    serial_numbers: bool = Field(
        default=False, title="Also days counted by a spreadsheet (45368)", json_schema_extra={"widget": "switch"}
    )

    last_short_year: int | None = Field(
        default=None, ge=SHORT_YEARS[0], le=SHORT_YEARS[1], title="Last year of two digits",
        json_schema_extra={"widget": "number", "empty": "2068: 68 is 2068, 69 is 1969"},
    )  # fmt: skip

    @field_validator("formats")
    @classmethod
    def _readable(cls, formats: tuple[str, ...]) -> tuple[str, ...]:
        for format_ in formats:
            pattern(format_)
            if not any(code in format_ for code in ("%Y", "%y")) or "%d" not in format_:
                raise ValueError(f"the format {format_!r} needs a year (%Y or %y) and a day (%d)")
        return formats

    @model_validator(mode="after")
    def _short_years_are_read(self) -> Self:
        if self.last_short_year is not None and not any("%y" in format_ for format_ in self.formats):
            raise ValueError("a last year of two digits needs a format with such a year (%y)")
        return self

    def sentence(self) -> list[Part]:
        short = (
            [text(f" (years of two digits from {self.last_short_year - 99} to {self.last_short_year})")]
            if self.last_short_year is not None
            else []
        )
        counted = [text(" and days counted by a spreadsheet")] if self.serial_numbers else []
        return [
            text("Convert "),
            *self.meant(),
            text(" to dates from "),
            *joined(self.formats),
            *short,
            *counted,
            *self.otherwise(),
        ]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        timed = any("%H" in format_ for format_ in self.formats)
        target = DataType.DATETIME if timed else DataType.DATE
        if column.type in (DataType.DATE, target):  # read already
            return Corrected(cell.copy(), column.type, reading=True)
        written = as_text(cell, column.type)
        tries = [self._moment(written, format_) for format_ in self.formats]
        if self.serial_numbers:
            tries.append(template(_COUNTED, c=written))
        moment = exp.Coalesce(this=tries[0], expressions=tries[1:])
        value = exp.cast(moment, "TIMESTAMP" if timed else "DATE")
        lost = template(":c IS NOT NULL AND :v IS NULL", c=cell.copy(), v=value)
        return Corrected(value, target, lost, reading=True)

    def _moment(self, written: exp.Expr, format_: str) -> exp.Expr:
        moment = moment_read(written, format_)
        if self.last_short_year is None or "%y" not in format_:
            return moment
        return template("within_century(:m, :l)", m=moment, l=exp.Literal.number(self.last_short_year))


KIND = ToDate
