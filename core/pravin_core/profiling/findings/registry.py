"""Finds the kinds of findings: every module in columns/ and tables/."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Sequence
from types import ModuleType

from pravin_core.profiling.findings import columns, tables
from pravin_core.profiling.findings.base import Kind


def _modules(package: ModuleType) -> tuple[ModuleType, ...]:
    modules = sorted(pkgutil.iter_modules(package.__path__), key=lambda m: m.name)
    return tuple(importlib.import_module(f"{package.__name__}.{module.name}") for module in modules)


OF_COLUMNS, OF_TABLES = _modules(columns), _modules(tables)


def kinds(modules: Sequence[ModuleType] = (*OF_COLUMNS, *OF_TABLES)) -> list[Kind]:
    """Every kind of finding of some modules with its definition."""
    kinds_: list[Kind] = []
    for module in modules:
        kinds_ += [value for value in vars(module).values() if isinstance(value, Kind) and value not in kinds_]
    return sorted(kinds_, key=lambda kind: kind.name)
