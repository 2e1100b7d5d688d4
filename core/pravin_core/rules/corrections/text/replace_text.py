"""Find and replace characters, words or whole values."""

from __future__ import annotations

import re
from typing import ClassVar, Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, text
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column

_WHERE = {
    "anywhere": "",
    "words": " as a whole word",
    "whole": " as the whole value",
    "start": " at the beginning",
    "end": " at the end",
}


class ReplaceText(ColumnCorrection):
    """What is found is taken as it is written, not as a pattern; what is put in its place may stand in another column."""

    title = "Replace text"
    group = "Text"
    about = "Replaces characters, words or whole values by a text or by the value of another column."
    synonyms = ("find and replace", "substitute", "swap", "search and replace", "change value")
    examples = (
        Example(
            rule={"columns": ["a"], "find": "lab.", "replacement": "Lab", "ignore_case": True, "place": "start"},
            before={"a": ["LAB. North", "labs", "a lab.", None]},
            after={"a": ["Lab North", "labs", "a lab.", None]},
        ),
        Example(
            rule={"columns": ["a"], "find": "-", "replacement": "/", "first": 2},
            before={"a": ["1-2-3-4", "-", None]},
            after={"a": ["1/2/3-4", "/", None]},
        ),
        Example(
            rule={"columns": ["a"], "find": "?", "from_column": "b", "place": "whole"},
            before={"a": ["?", "?!", None], "b": ["x", "y", "z"]},
            after={"a": ["x", "?!", None], "b": ["x", "y", "z"]},
        ),
        Example(
            rule={"columns": ["a"], "find": "no", "replacement": "0", "place": "words"},
            before={"a": ["no note no", "no", None]},
            after={"a": ["0 note 0", "0", None]},
        ),
    )
    repairs_text: ClassVar[bool] = True

    kind: Literal["replace-text"] = "replace-text"
    find: str = Field(min_length=1, max_length=2000, title="Find")
    replacement: str = Field(default="", max_length=2000, title="Replace with")
    from_column: str = Field(
        default="",
        max_length=2000,
        title="Or the value of",
        json_schema_extra={"widget": "column", "empty": "the text above"},
    )
    place: Literal["anywhere", "words", "whole", "start", "end"] = Field(
        default="anywhere", title="Where", json_schema_extra={"widget": "choice"}
    )
    ignore_case: bool = Field(default=False, title="Ignore letter case", json_schema_extra={"widget": "switch"})
    first: int = Field(
        default=0, ge=0, le=50, title="Only the first", json_schema_extra={"widget": "whole", "empty": "all of them"}
    )

    def needs(self) -> tuple[str, ...]:
        return (*self.columns, self.from_column) if self.from_column else self.columns

    def sentence(self) -> list[Part]:
        new = self.from_column or self.replacement
        by = [text(" with the value of " if self.from_column else " with "), Part(text=new, data=True)] if new else []
        many = f" (the first{f' {self.first}' if self.first > 1 else ''} of each value)" if self.first else ""
        return [
            text("Replace " if new else "Remove "), Part(text=self.find, data=True), text(_WHERE[self.place]), *by,
            text(" in "), *self.meant(), text(f"{many}{', ignoring letter case' if self.ignore_case else ''}."),
        ]  # fmt: skip

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        old = as_text(cell, column.type)
        new: exp.Expr = exp.Literal.string(self.replacement)
        if self.from_column:
            new = template("coalesce(CAST(:n AS VARCHAR), '')", n=col(self.from_column))
        find = re.sub(r"([\\^$.|?*+()\[\]{}])", r"\\\1", self.find)
        if self.place == "whole":
            same = template(
                "lower(:c) = lower(:f)" if self.ignore_case else ":c = :f", c=old, f=exp.Literal.string(self.find)
            )
            return Corrected(template("nullif(CASE WHEN :s THEN :n ELSE :c END, '')", s=same, n=new, c=old))
        around = {"anywhere": "{}", "words": r"\b{}\b", "start": "^{}", "end": "{}$"}[self.place]
        if self.place == "words":  # a word boundary only where the text begins or ends with a letter or digit
            around = (
                ("" if not re.match(r"\w", self.find) else r"\b")
                + "{}"
                + ("" if not re.search(r"\w$", self.find) else r"\b")
            )
        pattern = around.replace("{}", find)
        # what is put in is meant as it is: \ would name a group
        plain = template(r"replace(:n, '\', '\\')", n=new)
        flags = "i" if self.ignore_case else ""
        value: exp.Expr = old
        if not self.first:
            value = template(
                "regexp_replace(:c, :p, :n, :o)", c=old, p=exp.Literal.string(pattern), n=plain,
                o=exp.Literal.string(f"g{flags}"),
            )  # fmt: skip
        else:
            # each pass replaces the first one left: a mark that no text holds keeps what was put in from being met again
            mark = exp.Literal.string("\x02")
            for _ in range(self.first):
                value = template(
                    "regexp_replace(:c, :p, :m, :o)", c=value, p=exp.Literal.string(pattern), m=mark,
                    o=exp.Literal.string(flags),
                )  # fmt: skip
            value = template("replace(:c, :m, :n)", c=value, m=mark, n=new)
        return Corrected(template("nullif(:v, '')", v=value))


KIND = ReplaceText
