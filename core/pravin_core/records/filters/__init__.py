"""Filters: small conditions that can be said in words and put in an address; a module each, one union for all."""

from pravin_core.records.filters.base import DEEPEST, ColumnFilter, Filter, is_moment, is_number, kept
from pravin_core.records.filters.registry import FILTERS, AnyFilter, make_filter, offered, read_filter

__all__ = [
    "DEEPEST", "FILTERS", "AnyFilter", "ColumnFilter", "Filter", "is_moment", "is_number", "kept", "make_filter",
    "offered", "read_filter",
]  # fmt: skip
