"""Finds the gates: every module beside this one that defines GATE."""

from __future__ import annotations

import importlib
import pkgutil

from pravin_server.releases import gates
from pravin_server.releases.gates.base import Gate, Judged, Proposal


def _find() -> tuple[Gate, ...]:
    names = sorted(module.name for module in pkgutil.iter_modules(gates.__path__))
    modules = (
        importlib.import_module(f"{gates.__name__}.{name}") for name in names if name not in ("base", "registry")
    )
    all_gates: list[Gate] = [module.GATE for module in modules]
    return tuple(sorted(all_gates, key=lambda gate: (gate.place, gate.name)))


GATES = _find()


def judge(case: Proposal) -> list[Judged]:
    """All gates for a case, in their order."""
    return [Judged(gate.name, *gate.finds(case)) for gate in GATES]
