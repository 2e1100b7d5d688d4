"""A value, or several together, must occur once."""

from __future__ import annotations

from typing import Literal

from sqlglot import exp

from pravin_core.rules.base import AcrossCheck, Example, Part, consequence_words
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template


class Unique(AcrossCheck):
    """Every record of a repeated key breaks it, the first too. Keys with a missing part pass."""

    title = "Unique"
    group = "Across records"
    about = "No two records may share the value; of several columns, all values together."
    synonyms = ("is unique", "primary key", "distinct", "duplicates", "key", "identifier")
    examples = (Example(rule={"columns": ["a"]}, before={"a": ["1", "2", "1", None, None]}, after={"a": ["1", "1"]}),)

    kind: Literal["unique"] = "unique"

    def sentence(self) -> list[Part]:
        verb = self.verb(" is unique.", " together are unique.")
        return [*self.meant(), verb, *consequence_words(self.consequence)]

    def broken_keys(self, live: exp.Select) -> exp.Select:
        keys = [col(name) for name in self.columns]
        query = exp.select(*keys).from_(live.subquery("live")).group_by(*keys).having("count(*) > 1")
        for key in keys:
            query = query.where(template(":c IS NOT NULL", c=key))
        return query

    def phrase(self) -> str:
        return "occurs more than once"


KIND = Unique
