"""Data types and roles of columns."""

from __future__ import annotations

from enum import StrEnum


class DataType(StrEnum):
    """What the values of a column are.

    A decimal is a 64-bit floating-point number, which keeps 15 digits; an exact decimal keeps 28 digits before the
    point and 10 after it.
    """

    WHOLE = "whole number"
    DECIMAL = "decimal"
    EXACT = "exact decimal"
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
    DataType.EXACT: "DECIMAL(38, 10)",
    DataType.DATE: "DATE",
    DataType.DATETIME: "TIMESTAMP",
    DataType.BOOLEAN: "BOOLEAN",
    DataType.TEXT: "VARCHAR",
}
NUMBERS = (DataType.WHOLE, DataType.DECIMAL, DataType.EXACT)
