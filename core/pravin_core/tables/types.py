"""Data types and roles of columns."""

from __future__ import annotations

from enum import StrEnum


class DataType(StrEnum):
    """What the values of a column are."""

    WHOLE = "whole number"
    DECIMAL = "decimal"
    DATE = "date"
    DATETIME = "date-time"
    BOOLEAN = "true/false"
    TEXT = "text"


class Role(StrEnum):
    """What part a column plays in its table."""

    IDENTIFIER = "identifier"
    CATEGORY = "category"
    QUANTITY = "quantity"
    TIME = "time"
    FLAG = "flag"
    FREE_TEXT = "free text"


SQL_TYPES: dict[DataType, str] = {
    DataType.WHOLE: "BIGINT",
    DataType.DECIMAL: "DOUBLE",
    DataType.DATE: "DATE",
    DataType.DATETIME: "TIMESTAMP",
    DataType.BOOLEAN: "BOOLEAN",
    DataType.TEXT: "VARCHAR",
}
