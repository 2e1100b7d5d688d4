"""Import settings: how the bytes of a source file become records."""

from __future__ import annotations

import codecs
from typing import Self

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from pravin_core.errors import SettingsError


class SettingsRequest(BaseModel):
    """What a person wants; what is left None is detected."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    encoding: str | None = Field(default=None, max_length=40)
    delimiter: str | None = Field(default=None, min_length=1, max_length=1)
    quote: str | None = Field(default=None, max_length=1, description='"" means that nothing is quoted')
    header: bool | None = None
    skip_lines: int | None = Field(default=None, ge=0, le=10_000, description="lines before the header")
    names: tuple[str, ...] | None = Field(default=None, max_length=20_000, description="column names, in order")

    @field_validator("encoding")
    @classmethod
    def _known_encoding(cls, value: str | None) -> str | None:
        if value is None:
            return None
        try:
            return codecs.lookup(value).name
        except LookupError:
            raise ValueError(f"{value!r} is not a known encoding; write e.g. utf-8, cp1252 or utf-16") from None

    @model_validator(mode="after")
    def _marks_differ(self) -> Self:
        if self.delimiter and self.delimiter == self.quote:
            raise ValueError("the delimiter and the quotation mark cannot be the same character")
        if self.delimiter in ("\n", "\r") or self.quote in ("\n", "\r"):
            raise ValueError("a line end cannot be the delimiter or the quotation mark")
        return self


class FileSettings(BaseModel):
    """All that is needed to read one source file of delimited text."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    encoding: str
    delimiter: str
    quote: str
    header: bool
    skip_lines: int
    names: tuple[str, ...]


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
            raise SettingsError(f"The import settings do not go together: {error}", file=name) from error
