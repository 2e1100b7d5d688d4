"""The operations of the API, as the server describes them (OpenAPI)."""

from __future__ import annotations

import difflib
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import quote

from pravin_client.errors import WrongUse

METHODS = ("get", "post", "put", "patch", "delete")


@dataclass(frozen=True)
class Operation:
    """One operation: its name (`quarantine.decide`), the names of what stands in its path and in its query."""

    name: str
    method: str
    path: str
    says: str
    in_path: tuple[str, ...]
    in_query: tuple[str, ...]
    takes_body: bool

    def place(self, given: Mapping[str, Any]) -> tuple[str, dict[str, Any]]:
        """The path and the query for parameters. Raises WrongUse when one is missing or not known."""
        if missing := [name for name in self.in_path if name not in given]:
            raise WrongUse(f"{self.name} needs {', '.join(missing)}.")
        known = {*self.in_path, *self.in_query}
        if strange := [name for name in given if name not in known]:
            raise WrongUse(
                f"{self.name} has no parameter {', '.join(strange)}; it has {', '.join(sorted(known)) or 'none'}."
            )
        path = self.path.format(**{name: quote(str(given[name]), safe="") for name in self.in_path})
        return path, {name: given[name] for name in self.in_query if name in given}


def operations_of(description: Mapping[str, Any]) -> dict[str, Operation]:
    """The operations of an OpenAPI description by their names."""
    found = [
        _operation(method, path, described, each.get("parameters", ()))
        for path, each in description["paths"].items()
        for method, described in each.items()
        if method in METHODS
    ]
    return {operation.name: operation for operation in found}


def _operation(method: str, path: str, described: Mapping[str, Any], shared: Any) -> Operation:
    parameters = [*shared, *described.get("parameters", ())]
    return Operation(
        name=described["operationId"],
        method=method.upper(),
        path=path,
        says=str(described.get("description") or described.get("summary") or "").split("\n")[0],
        in_path=tuple(each["name"] for each in parameters if each["in"] == "path"),
        in_query=tuple(each["name"] for each in parameters if each["in"] == "query"),
        takes_body="requestBody" in described,
    )


def operation_named(operations: Mapping[str, Operation], name: str) -> Operation:
    """The operation of a name. Raises WrongUse, with names that are like it."""
    if name in operations:
        return operations[name]
    like = difflib.get_close_matches(name, operations, 3)
    hint = f" Do you mean {', '.join(like)}?" if like else " See the list of operations."
    raise WrongUse(f"There is no operation {name}.{hint}")
