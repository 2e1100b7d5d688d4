"""Look up columns from another table."""

from __future__ import annotations

from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example
from pravin_core.rules.lookups import KeyMatch, LookUpBase
from pravin_core.rules.reshaping import Reference, Table
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import RECORD
from pravin_core.tables.names import reference


class LookUp(LookUpBase):
    """Keys are compared as text; a missing part matches nothing. Of several matches the first is taken, or each makes a
    record. Records without a match are counted and keep missing values, are quarantined, or removed; "matched" can
    also be removed, which keeps only those that the other table does not have.
    """

    title = "Look up columns"
    group = "Table"
    about = "Finds for each record the matching one of a reference table and adds columns of it; or keeps or removes what matches."
    synonyms = (
        "join", "left join", "inner join", "lookup", "merge tables", "enrich", "match",
        "reference table",
    )  # fmt: skip
    examples = (
        Example(
            rule={"reference": "sites", "keys": [{"code": "s", "meaning": "code"}], "take": ["river"]},
            before={"s": ["1", "9", None], "v": ["x", "y", "z"]},
            after={"s": ["1", "9", None], "v": ["x", "y", "z"], "river": ["Merrow", None, None]},
            references={"sites": {"code": ["1", "1", None], "river": ["Merrow", "Alder", "none"]}},
        ),
        Example(
            rule={
                "reference": "sites",
                "keys": [{"code": "s", "meaning": "code"}],
                "take": ["river"],
                "several": "each",
            },
            before={"s": ["1", "9", None]},
            after={"s": ["1", "1", "9", None], "river": ["Merrow", "Alder", None, None]},
            references={"sites": {"code": ["1", "1", None], "river": ["Merrow", "Alder", "none"]}},
        ),
        Example(
            rule={
                "reference": "sites",
                "keys": [{"code": "s", "meaning": "code"}],
                "alike": True,
                "unmatched": "remove",
            },
            before={"s": ["wq 1", "9", None]},
            after={"s": ["wq 1"]},
            references={"sites": {"code": ["WQ1"]}},
        ),
        Example(
            rule={"reference": "sites", "keys": [{"code": "s", "meaning": "code"}], "unmatched": "keep only"},
            before={"s": ["1", "9", None]},
            after={"s": ["9", None]},
            references={"sites": {"code": ["1"]}},
        ),
    )

    kind: Literal["look-up"] = "look-up"
    keys: tuple[KeyMatch, ...] = Field(
        min_length=1, max_length=10, title="Where columns match", json_schema_extra={"widget": "key pairs"}
    )

    def matches(self, table: Table, other: Reference) -> exp.Select:
        keys, whole = self.wholes(other)
        named = [exp.alias_(key, f"__key{at}") for at, key in enumerate(keys)]
        rows = exp.select(*named, exp.alias_(whole, "__whole"), col(RECORD)).from_(reference(self.reference))
        names = [exp.column(f"__key{at}") for at in range(len(keys))]
        listed = template("list(__whole ORDER BY :r) AS __all", r=col(RECORD))
        matches = exp.select(*names, listed).from_(rows.subquery("theirs"))
        for name in names:
            matches = matches.where(template(":k IS NOT NULL", k=name))
        return matches.group_by(*names)


KIND = LookUp
