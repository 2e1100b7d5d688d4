"""Import settings: how the bytes of a source file become records, and which columns of the table they fill."""

from __future__ import annotations

import codecs
import re
from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, WithJsonSchema, field_validator, model_validator

from pravin_core.errors import SettingsError
from pravin_core.refusals import first_in_words

FORMATS: dict[str, str] = {}  # each format with what it is called, filled by the registry of readers
LineEnd = Literal["any", "\n", "\r\n", "\r"]
Name = str


def _known_format(value: str) -> str:
    if value not in FORMATS:
        raise ValueError(f"there is no format “{value[:60]}”; there are {', '.join(FORMATS)}")
    return value


FormatName = Annotated[
    str, AfterValidator(_known_format), WithJsonSchema({"type": "string", "description": "one of GET /api/formats"})
]
RANGE = re.compile(r"^(?P<c1>[A-Z]{1,3})(?P<r1>\d{1,7})(:(?P<c2>[A-Z]{1,3})(?P<r2>\d{1,7})?)?$")


class SettingsRequest(BaseModel):
    """What a person wants; what is left None is detected. Each format looks at the entries that concern it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: FormatName | None = None
    header_rows: int | None = Field(default=None, ge=0, le=10, description="0: there is none; several are joined")
    skip_lines: int | None = Field(default=None, ge=0, le=10_000, description="lines or rows before the header")
    names: tuple[Name, ...] | None = Field(default=None, max_length=20_000, description="column names, in order")
    columns: dict[Name, Name | None] | None = Field(
        default=None, description="delivered name: the table's column it fills; null leaves it out"
    )
    facts: dict[Name, str] | None = Field(default=None, description="columns with the same value in every record")
    source_column: str | None = Field(default=None, max_length=200, description="a column for the source's name")
    repeated_header: bool | None = Field(default=None, description="records equal to the header are not data")
    totals_line: bool | None = Field(default=None, description="the last line holds totals")

    encoding: str | None = Field(default=None, max_length=40)
    line_end: LineEnd | None = None
    delimiter: str | None = Field(default=None, min_length=1, max_length=20)
    quote: str | None = Field(default=None, max_length=1, description='"" means that nothing is quoted')
    escape: str | None = Field(default=None, max_length=1, description="the mark that takes a character literally")
    spaced_quotes: bool | None = Field(default=None, description="quotation marks after spaces stand around fields")
    comment: str | None = Field(default=None, max_length=10, description='lines that begin so are comments; "": none')
    trailing_delimiter: bool | None = Field(default=None, description="records end with a delimiter")

    borders: tuple[int, ...] | None = Field(
        default=None, max_length=5000, description="characters before which a column begins, from 1, without the first"
    )
    cells: str | None = Field(default=None, max_length=30, description="the range of a sheet, e.g. B4:H200 or B4:H")
    shown: bool | None = Field(default=None, description="what the cells show instead of what they hold")
    fill_merged: bool | None = Field(default=None, description="every cell of a merged area holds its value")
    records_at: str | None = Field(default=None, max_length=400, description="path of the list of records in JSON")
    explode: str | None = Field(default=None, max_length=400, description="path of a list: a record for each element")

    @model_validator(mode="before")
    @classmethod
    def _header_or_none(cls, given: object) -> object:
        """`header` true or false is a short way to say one header row or none."""
        if isinstance(given, dict) and isinstance(given.get("header"), bool):
            return {"header_rows": int(given["header"]), **{key: val for key, val in given.items() if key != "header"}}
        return given

    @field_validator("encoding")
    @classmethod
    def _known_encoding(cls, value: str | None) -> str | None:
        if value is None:
            return None
        try:
            results = codecs.lookup(value)
        except LookupError:
            raise ValueError(f"{value!r} is not a known encoding; write e.g. utf-8, cp1252 or utf-16") from None
        if not results._is_text_encoding:
            raise ValueError(f"{value!r} is not an encoding of text; write e.g. utf-8, cp1252 or utf-16")
        return results.name

    @field_validator("cells")
    @classmethod
    def _a_range(cls, value: str | None) -> str | None:
        if value is None or not value.strip():
            return None
        text = value.replace("$", "").replace(" ", "").upper()
        if not RANGE.match(text):
            raise ValueError(f"{value!r} is not a range of cells; write e.g. B4:H200, B4:H or B4")
        return text

    @field_validator("borders")
    @classmethod
    def _rising(cls, value: tuple[int, ...] | None) -> tuple[int, ...] | None:
        if value and (value[0] < 1 or any(b <= a for a, b in pairwise(value))):
            raise ValueError("the borders of columns must be rising numbers from 1")
        return value

    @model_validator(mode="after")
    def _marks_differ(self) -> Self:
        if self.delimiter and self.quote and self.quote in self.delimiter:
            raise ValueError("the delimiter cannot hold the quotation mark: they cannot be the same character")
        if self.delimiter and self.escape and self.escape in self.delimiter:
            raise ValueError("the delimiter and the escape mark cannot be the same character")
        if any(
            "\ufdd0" <= char <= "\ufdef" for mark in (self.delimiter, self.quote, self.escape) for char in mark or ""
        ):
            raise ValueError("a noncharacter of Unicode cannot be the delimiter, the quotation mark or the escape mark")
        if any(end in (mark or "") for end in "\r\n" for mark in (self.delimiter, self.quote, self.escape)):
            raise ValueError("a line end cannot be the delimiter, the quotation mark or the escape mark")
        return self


class FileSettings(BaseModel):
    """All that is needed to read one table of a source file.

    `names` are the columns as delivered, in order; `columns` says, at the same places, which column of the table
    each fills, None leaving it out. `facts` and `source_column` add columns with one value.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: FormatName = "delimited"
    names: tuple[Name, ...]
    columns: tuple[Name | None, ...]
    facts: dict[Name, str] = {}
    source_column: str = ""
    header_rows: int = 1
    skip_lines: int = 0
    repeated_header: bool = False
    totals_line: bool = False

    encoding: str = "utf-8"
    line_end: LineEnd = "any"
    delimiter: str = ","
    quote: str = '"'
    escape: str = ""
    spaced_quotes: bool = False
    comment: str = ""
    trailing_delimiter: bool = False

    borders: tuple[int, ...] = ()
    gaps: bool = Field(default=False, description="no text stands across a border of columns")
    cells: str = ""
    shown: bool = False
    fill_merged: bool = False
    records_at: str = ""
    explode: str = ""
    paths: tuple[Name, ...] = Field(default=(), description="where the delivered columns are in a JSON record")

    @model_validator(mode="after")
    def _columns_fit(self) -> Self:
        if len(self.columns) != len(self.names):
            raise ValueError(f"{len(self.names)} columns are delivered, but {len(self.columns)} are assigned")
        filled = [name.casefold() for name in self.fills]
        if twice := next((name for name in filled if filled.count(name) > 1), None):
            raise ValueError(f"two columns of this source fill the column {twice!r} of the table")
        return self

    @property
    def fills(self) -> tuple[str, ...]:
        """The table's columns that this source fills, in its order: its own, then facts, then the source's name."""
        own = [name for name in self.columns if name is not None]
        return (*own, *self.facts, *([self.source_column] if self.source_column else []))


class IntakeSettings(BaseModel):
    """Settings for the files of a delivery: one request for all, and others by file name."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    default: SettingsRequest = SettingsRequest()
    files: dict[str, SettingsRequest] = {}

    def for_file(self, name: str) -> SettingsRequest:
        """The request for one file: its own entries over those for all files."""
        own = self.files.get(name, SettingsRequest()).model_dump(exclude_none=True)
        try:
            return SettingsRequest(**{**self.default.model_dump(exclude_none=True), **own})
        except ValueError as error:
            raise SettingsError(
                f"The import settings do not go together: {first_in_words(error)}.", file=name
            ) from error
