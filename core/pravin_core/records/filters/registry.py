"""Finds the filters: every module below column/ and record/ that defines FILTER."""

from __future__ import annotations

import importlib
import pkgutil
from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any

from pydantic import Discriminator, Tag, TypeAdapter

from pravin_core.records.filters import column, record
from pravin_core.records.filters.base import ColumnFilter, Filter
from pravin_core.records.filters.combination import Combination


def tag_of(given: Any) -> str | None:
    """What tells a filter from all others: what it is on and, on a column, its test ("is" when none is said)."""
    part = given.get if isinstance(given, dict) else lambda name, default=None: getattr(given, name, default)
    on = part("on")
    return f"column: {part('test', 'is')}" if on == "column" else on if isinstance(on, str) else None


def _find() -> dict[str, type[Filter]]:
    filters: dict[str, type[Filter]] = {}
    for package in (column, record):
        for module in sorted(pkgutil.iter_modules(package.__path__), key=lambda m: m.name):
            kind: type[Filter] = importlib.import_module(f"{package.__name__}.{module.name}").FILTER
            filters[str(tag_of({name: field.default for name, field in kind.model_fields.items()}))] = kind
    return filters


FILTERS = _find()

if TYPE_CHECKING:
    AnyFilter = Filter
else:
    AnyFilter = Annotated[
        reduce(or_, [Annotated[kind, Tag(tag)] for tag, kind in FILTERS.items()]), Discriminator(tag_of)
    ]
for _kind in FILTERS.values():
    if issubclass(_kind, Combination):
        _kind.model_rebuild(force=True, _types_namespace={"AnyFilter": AnyFilter})
_ANY: TypeAdapter[Filter] = TypeAdapter(AnyFilter)


def read_filter(given: Any) -> Filter:
    """A filter from its data. Raises pydantic's ValidationError when it cannot be asked."""
    return _ANY.validate_python(given)


def make_filter(on: str, **parts: Any) -> Filter:
    """A filter of a kind: `make_filter("column", name="ph", test="above", value="14")`."""
    return read_filter({"on": on, **parts})


def offered() -> list[dict[str, str]]:
    """The tests on a column that a form offers, with what each asks for."""
    first_is = sorted(FILTERS, key=lambda tag: (not tag.startswith("column: is"), tag))
    return [
        {"test": tag.removeprefix("column: "), "takes": kind.takes, "about": str(kind.__doc__)}
        for tag in first_is
        if issubclass(kind := FILTERS[tag], ColumnFilter) and kind.takes
    ]
