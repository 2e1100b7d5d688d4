"""Close the gaps of columns independently of each other."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import Example, Part, TableCorrection, joined, text
from pravin_core.rules.reshaping import Table, TableTransform, row_number
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import GONE
from pravin_core.tables.names import cells_changed, cells_failed


class CloseGaps(TableCorrection):
    """Values move up to where cells are missing, each column by itself: what stood in one record does so no longer.
    It is refused until it is said that this is meant.
    """

    title = "Close gaps"
    group = "Table"
    about = "Moves the values of columns up over missing cells, each column by itself. Values of one record lose each other."
    synonyms = (
        "missing dates", "fill gaps", "time series", "resample", "complete", "interpolate", "every day",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a", "b"], "understood": True},
            before={"a": ["1", None, "3"], "b": [None, None, "x"], "c": ["p", "q", "r"]},
            after={"a": ["1", "3", None], "b": ["x", None, None], "c": ["p", "q", "r"]},
        ),
    )

    corrects = True
    kind: Literal["close-gaps"] = "close-gaps"
    columns: tuple[str, ...] = Field(
        min_length=1, max_length=200, title="Columns", json_schema_extra={"widget": "columns"}
    )
    understood: bool = Field(
        default=False,
        title="Values of one record lose each other, and that is meant",
        json_schema_extra={"widget": "switch"},
    )

    @model_validator(mode="after")
    def _meant_so(self) -> Self:
        if not self.understood:
            raise ValueError("values of one record lose each other: say that this is meant")
        return self

    def needs(self) -> tuple[str, ...]:
        return self.columns

    def sentence(self) -> list[Part]:
        return [
            text("Close the gaps of "),
            *joined(self.columns),
            text(", each by itself: values of one record lose each other."),
        ]

    def reshape(self, table: Table) -> TableTransform:
        known = [
            col("__record"),
            col("__file"),
            col("__line"),
            *(col(column.name) for column in table.columns),
            *(col(n) for n in table.system_columns),
        ]
        live = template(":g IS NULL", g=col(GONE))
        place = row_number([col(table.order)], [live])
        steps = [(table.step(0), exp.select(*known, exp.alias_(place, "__pos")).from_(table.name))]
        source = exp.to_table(table.step(0)).as_("t")
        cells = {each_column.name: cell for each_column, cell in table.cells("t")}
        differs = []
        for at, name in enumerate(self.columns, start=1):
            up = exp.select(exp.alias_(row_number([col(table.order)]), "__pos"), exp.alias_(col(name), "__value"))
            steps.append(
                (table.step(at), up.from_(table.step(0)).where(live.copy(), template(":c IS NOT NULL", c=col(name))))
            )
            cells[name] = template(
                "CASE WHEN :g IS NULL THEN :v ELSE :c END",
                g=col(GONE, "t"),
                v=exp.column("__value", table=f"g{at}"),
                c=col(name, "t"),
            )
            differs.append(template(
                "CASE WHEN :g IS NULL AND :v IS DISTINCT FROM :c THEN 1 ELSE 0 END", g=col(GONE, "t"),
                v=exp.column("__value", table=f"g{at}"), c=col(name, "t"),
            ))  # fmt: skip
        count = differs[0] if len(differs) == 1 else template("list_sum(:l)", l=exp.Array(expressions=differs))
        tracing = {
            cells_changed(table.number): exp.cast(count, "INTEGER"),
            cells_failed(table.number): exp.cast(exp.Literal.number(0), "INTEGER"),
        }
        joined_ = table.select([(column, cells[column.name]) for column in table.columns], tracing, source, "t")
        for at in range(1, len(self.columns) + 1):
            on = exp.EQ(this=exp.column("__pos", table="t"), expression=exp.column("__pos", table=f"g{at}"))
            joined_ = joined_.join(exp.to_table(table.step(at)).as_(f"g{at}"), on=on, join_type="left")
        steps.append((table.step(len(self.columns) + 1), joined_))
        return TableTransform(tuple(steps), table.columns, 0, tuple(tracing))


KIND = CloseGaps
