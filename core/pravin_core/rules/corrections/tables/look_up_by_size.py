"""Look up columns from another table by a range, or by the nearest value."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, Self

from pydantic import Field, model_validator
from pydantic.config import JsonDict
from sqlglot import exp

from pravin_core.errors import RulebookError
from pravin_core.rules.base import Example, Part, text
from pravin_core.rules.lookups import LookUpBase, Matching, pairs_in_words
from pravin_core.rules.moments import moment_in
from pravin_core.rules.numeric import number_in
from pravin_core.rules.reshaping import Reference, Table
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import RECORD, Column
from pravin_core.tables.names import reference
from pravin_core.tables.types import NUMBERS, DataType

_DATES = (DataType.DATE, DataType.DATETIME)
_ONE: JsonDict = {"how": ["at or before", "at or after", "nearest"]}
_RANGE: JsonDict = {"how": ["in its range"]}


class _Sizes(Matching):
    """Which sizes are compared; these fields stand behind the pairs of columns that must say the same."""

    column: str = Field(min_length=1, max_length=2000, title="Column", json_schema_extra={"widget": "column"})
    how: Literal["in its range", "at or before", "at or after", "nearest"] = Field(
        default="in its range", title="Matches", json_schema_extra={"widget": "choice", "labels": {
            "in its range": "the record in whose range it lies", "at or before": "the last one at or before it",
            "at or after": "the first one at or after it", "nearest": "the nearest one",
        }},
    )  # fmt: skip
    low: str = Field(
        default="", max_length=2000, title="From the column", json_schema_extra={"widget": "their column", "empty": "no lower limit", "shown_for": _RANGE}
    )  # fmt: skip
    high: str = Field(
        default="", max_length=2000, title="To the column", json_schema_extra={"widget": "their column", "empty": "no upper limit", "shown_for": _RANGE}
    )  # fmt: skip
    below: bool = Field(
        default=False, title="The upper limit lies outside", json_schema_extra={"widget": "switch", "shown_for": _RANGE}
    )
    theirs: str = Field(
        default="", max_length=2000, title="Its column", json_schema_extra={"widget": "their column", "shown_for": _ONE}
    )
    compared: Literal["numbers", "dates"] = Field(
        default="numbers", title="Compared as", json_schema_extra={"widget": "choice"}
    )


class LookUpBySize(LookUpBase, _Sizes):
    """Limits belong to the range unless the upper one is left out; a missing limit is open. Of two records equally near the
    one before is taken; of several in a range the first. Texts are read as numbers, or as dates written year-month-day.
    """

    title = "Look up by range or nearest"
    group = "Table"
    about = (
        "Finds for each record the one of a reference table in whose range a value lies, or the nearest one before or after, "
        "and adds columns of it."
    )
    synonyms = (
        "range join", "interval join", "between join", "as of", "asof join", "nearest join", "valid from", "valid to", "price at date",
        "closest", "fuzzy date join", "bands from a table", "rolling join",
    )  # fmt: skip
    examples = (
        Example(
            rule={"reference": "prices", "keys": [{"code": "s", "meaning": "site"}], "column": "d", "compared": "dates",
                  "low": "from", "high": "to", "take": ["price"]},
            before={"s": ["a", "a", "b", None], "d": ["2024-01-31", "2024-02-01", "2030-01-01", "2024-01-01"]},
            after={"s": ["a", "a", "b", None], "d": ["2024-01-31", "2024-02-01", "2030-01-01", "2024-01-01"],
                   "price": ["10", "12", "9", None]},
            references={"prices": {
                "site": ["a", "a", "b"], "from": ["2024-01-01", "2024-02-01", "2024-01-01"], "to": ["2024-01-31", "2024-02-29", None],
                "price": ["10", "12", "9"],
            }},
        ),
        Example(
            rule={"reference": "bands", "column": "n", "low": "from", "high": "to", "below": True, "take": ["band"],
                  "unmatched": "quarantine"},
            before={"n": ["0", "4.9", "5", None, "77"]},
            after={"n": ["0", "4.9", "5", None, "77"], "band": ["low", "low", "high", None, None]},
            references={"bands": {"from": ["0", "5"], "to": ["5", "10"], "band": ["low", "high"]}},
        ),
        Example(
            rule={"reference": "rates", "column": "d", "compared": "dates", "how": "at or before", "theirs": "day", "take": ["rate"]},
            before={"d": ["2024-03-05", "2024-03-01", "2024-02-01", None]},
            after={"d": ["2024-03-05", "2024-03-01", "2024-02-01", None], "rate": ["1.2", "1.1", None, None]},
            references={"rates": {"day": ["2024-03-01", "2024-03-04", "x", None], "rate": ["1.1", "1.2", "9", "9"]}},
        ),
        Example(
            rule={"reference": "gauges", "column": "km", "how": "nearest", "theirs": "at", "take": ["gauge"]},
            before={"km": ["3", "7.5", "100", "5", None]},
            after={"km": ["3", "7.5", "100", "5", None], "gauge": ["g1", "g2", "g2", "g1", None]},
            references={"gauges": {"at": ["2", "8"], "gauge": ["g1", "g2"]}},
        ),
        Example(
            rule={"reference": "gauges", "column": "km", "how": "at or after", "theirs": "at", "take": ["gauge"]},
            before={"km": ["3", "8", "9"]},
            after={"km": ["3", "8", "9"], "gauge": ["g2", "g2", None]},
            references={"gauges": {"at": ["2", "8"], "gauge": ["g1", "g2"]}},
        ),
    )  # fmt: skip

    kind: Literal["look-up-by-size"] = "look-up-by-size"

    @model_validator(mode="after")
    def _says_what(self) -> Self:
        if self.how == "in its range" and not (self.low or self.high):
            raise ValueError("name the column of a limit: from, to or both")
        if self.how != "in its range" and not self.theirs:
            raise ValueError("name the column of the table that is compared")
        return self

    def sizes(self) -> tuple[str, ...]:
        return (self.column,)

    def their_columns(self) -> tuple[str, ...]:
        sizes = (self.low, self.high) if self.how == "in its range" else (self.theirs,)
        return (*super().their_columns(), *(name for name in sizes if name))

    def where(self) -> list[Part]:
        pairs = [*pairs_in_words(self.keys), text(" and ")] if self.keys else []
        own = Part(text=self.column, data=True)
        if self.how != "in its range":
            which = {
                "nearest": "nearest to",
                "at or before": "the last one at or before",
                "at or after": "the first one at or after",
            }
            return [*pairs, text("its "), Part(text=self.theirs, data=True), text(f" is {which[self.how]} "), own]
        low = [text(" is at least its "), Part(text=self.low, data=True)] if self.low else []
        upper = " below its " if self.below else " at most its "
        high = [text(f"{' and' if low else ' is'}{upper}"), Part(text=self.high, data=True)] if self.high else []
        return [*pairs, own, *low, *high]

    def asked(self, table: Table, alias: str | None) -> list[exp.Expr]:
        column = next(column for column in table.columns if column.name == self.column)
        return [*super().asked(table, alias), self._size(col(self.column, alias), column)]

    def _size(self, cell: exp.Expr, column: Column) -> exp.Expr:
        """The cell as a number or a moment. Raises RulebookError when its column has another type."""
        others = _DATES if self.compared == "numbers" else (*NUMBERS, DataType.BOOLEAN)
        if column.type in others:
            raise RulebookError(
                f"{column.name} is {column.type}: it cannot be compared as {self.compared}.", rule=self.id, column=column.name,
                advice="Choose what it is compared as.",
            )  # fmt: skip
        return number_in(cell, column) if self.compared == "numbers" else moment_in(cell, column)

    def _theirs(self, name: str, other: Reference) -> exp.Expr:
        return self._size(col(name), next(column for column in other.columns if column.name == name))

    def matches(self, table: Table, other: Reference) -> exp.Select:
        return self._in_range(table, other) if self.how == "in its range" else self._near(table, other)

    def _names(self, last: str = "__size") -> list[str]:
        return [*(f"__key{at}" for at in range(len(self.keys))), last]

    def _asked(self, table: Table) -> exp.Select:
        """What the records ask for, each once."""
        asked = [exp.alias_(cell, name) for name, cell in zip(self._names(), self.asked(table, None), strict=True)]
        query = exp.select(*asked).distinct().from_(table.name).subquery("asked")
        return exp.select("*").from_(query).where(*(f"{name} IS NOT NULL" for name in self._names()))

    def _in_range(self, table: Table, other: Reference) -> exp.Select:
        keys, whole = self.wholes(other)
        cells = [exp.alias_(key, f"__key{at}") for at, key in enumerate(keys)]
        limits = {"low": self.low, "high": self.high}
        for side, name in limits.items():
            if name:
                cells.append(exp.alias_(self._theirs(name, other), f"__{side}"))
                cells.append(
                    exp.alias_(template("nullif(CAST(:c AS VARCHAR), '') IS NULL", c=col(name)), f"__{side}_open")
                )
        theirs = exp.select(*cells, exp.alias_(whole, "__whole"), col(RECORD)).from_(reference(self.reference))
        on: list[exp.Expr] = [
            template(f"asked.__key{at} = theirs.__key{at}") for at in range(len(self.keys))
        ]  # fmt: skip
        if self.low:
            on.append(template("(theirs.__low_open OR theirs.__low <= asked.__size)"))
        if self.high:
            sign = "<" if self.below else "<="
            on.append(template(f"(theirs.__high_open OR asked.__size {sign} theirs.__high)"))
        pairs = (
            exp.select("asked.*", "theirs.__whole", exp.alias_(col(RECORD, "theirs"), "__theirs"))
            .from_(self._asked(table).subquery("asked"))
            .join(theirs.subquery("theirs"), on=exp.and_(*on))
        )
        named = self._renamed()
        listed = template("list(__whole ORDER BY __theirs) AS __all")
        return exp.select(*named, listed).from_(pairs.subquery("pairs")).group_by(*self._names())

    def _renamed(self) -> list[exp.Expr]:
        """The size as the last key, as it is asked for."""
        last = exp.alias_(exp.column("__size"), f"__key{len(self.keys)}")
        return [*(exp.column(f"__key{at}") for at in range(len(self.keys))), last]

    def _near(self, table: Table, other: Reference) -> exp.Select:
        """Both tables in one order: the last one of theirs before each, and the first one after."""
        keys, whole = self.wholes(other)
        names = self._names()
        size = self._theirs(self.theirs, other)
        own_cells = [exp.alias_(cell, name) for name, cell in zip(names, [*keys, size], strict=True)]
        theirs: exp.Select = exp.select(
            *own_cells, exp.alias_(whole, "__whole"), exp.alias_(size.copy(), "__own"), exp.alias_(col(RECORD), "__at")
        ).from_(reference(self.reference))
        theirs = exp.select("*").from_(theirs.subquery("t")).where(*(f"{name} IS NOT NULL" for name in names))
        kind = "DOUBLE" if self.compared == "numbers" else "TIMESTAMP"
        nothing = [
            exp.alias_(exp.null(), "__whole"),
            exp.alias_(exp.cast(exp.null(), kind), "__own"), exp.alias_(exp.cast(exp.null(), "BIGINT"), "__at"),
        ]  # fmt: skip
        asked = exp.select(*names, *nothing).from_(self._asked(table).subquery("asked"))
        both = exp.union(theirs, asked, distinct=False).subquery("everything")
        steps = exp.select(
            *names, "__at", *(exp.alias_(self._beside(cell, side), f"{cell}_{side}") for side in ("before", "after") for cell in ("__whole", "__own"))
        ).from_(both)  # fmt: skip
        best = {
            "at or before": "__whole_before", "at or after": "__whole_after",
            "nearest": f"CASE WHEN __own_after IS NULL OR {self._distance('__size', '__own_before')} <= {self._distance('__own_after', '__size')} "
            "THEN __whole_before ELSE __whole_after END",
        }[self.how]  # fmt: skip
        chosen = (
            exp.select(*names, exp.alias_(template(best), "__best"))
            .from_(steps.subquery("steps"))
            .where("__at IS NULL")
        )
        met = exp.select(*self._renamed(), template("[__best] AS __all")).from_(chosen.subquery("chosen"))
        return met.where("__best IS NOT NULL")

    def _distance(self, later: str, earlier: str) -> str:
        return f"({later} - {earlier})" if self.compared == "numbers" else f"(epoch({later}) - epoch({earlier}))"

    def _beside(self, cell: str, side: str) -> exp.Expr:
        """The value of the nearest record of theirs at one side; those of the same size count for both, the first of them first."""
        before = side == "before"
        order: Sequence[tuple[str, bool]] = (
            [("__size", False), ("CASE WHEN __at IS NULL THEN 1 ELSE 0 END", False), ("__at", True)]
            if before
            else [("__size", False), ("CASE WHEN __at IS NULL THEN 0 ELSE 1 END", False), ("__at", False)]
        )
        spec = exp.WindowSpec(
            kind="ROWS", start="UNBOUNDED" if before else "CURRENT ROW", start_side="PRECEDING" if before else None,
            end="CURRENT ROW" if before else "UNBOUNDED", end_side=None if before else "FOLLOWING",
        )  # fmt: skip
        value = template(f"last_value({cell} IGNORE NULLS)" if before else f"first_value({cell} IGNORE NULLS)")
        return exp.Window(
            this=value, partition_by=[exp.column(f"__key{at}") for at in range(len(self.keys))],
            order=exp.Order(expressions=[exp.Ordered(this=template(term), desc=desc, nulls_first=False) for term, desc in order]),
            spec=spec,
        )  # fmt: skip


KIND = LookUpBySize
