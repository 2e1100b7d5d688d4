"""A number must not lie far outside of the others."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, consequence_words, text
from pravin_core.rules.numeric import number_in
from pravin_core.rules.shared_fields import ColumnInGroups
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import RECORD, Column

_QUARTILES = "quantile_cont({n}, 0.25)", "quantile_cont({n}, 0.75)"


class OutlierFence(ColumnInGroups):
    """Fence: quartiles and so many times the distance between them (Tukey, 1977). Deviation: so many median absolute
    deviations, times 1.4826, from the median (Hampel, 1974). Within groups if wanted; missing values pass.
    """

    title = "Outlier check"
    group = "Across records"
    about = "A number must be within the quartile fence, or so many median deviations from the median, of all records or of its group."
    synonyms = ("is no outlier", "outlier", "anomaly", "iqr", "extreme", "z-score", "unusual values", "spike")
    examples = (
        Example(
            rule={"columns": ["a"], "times": 1.5},
            before={"a": ["1", "2", "3", "2", "1", "3", "2", "74", None, "x"]},
            after={"a": ["74"]},
        ),
        Example(
            rule={"columns": ["a"], "how": "deviation", "times": 3},
            before={"a": ["1", "2", "3", "2", "1", "3", "2", "74", None]},
            after={"a": ["74"]},
        ),
    )

    kind: Literal["outlier-fence"] = "outlier-fence"
    how: Literal["fence", "deviation"] = Field(default="fence", title="By", json_schema_extra={"widget": "choice"})
    times: float = Field(default=3, gt=0, le=1000, title="Times", json_schema_extra={"widget": "number"})

    def sentence(self) -> list[Part]:
        fence = (
            f"{self.times:g} times the distance of its quartiles"
            if self.how == "fence"
            else f"{self.times:g} median deviations"
        )
        return [
            *self.meant(),
            text(f" is within {fence}"),
            *self.within(),
            text("."),
            *consequence_words(self.consequence),
        ]

    def broken_records(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        number = number_in(col(self.columns[0]), next(column for column in columns if column.name == self.columns[0]))
        groups = [exp.alias_(col(name), f"__g{at}") for at, name in enumerate(self.groups)]
        base = exp.select(col(RECORD), exp.alias_(number, "__n"), *groups).from_(live.subquery("live"))
        keys = [exp.column(f"__g{at}") for at in range(len(self.groups))]
        times = exp.cast(exp.Literal.string(repr(self.times)), "DOUBLE")

        def over(what: str) -> exp.Expr:
            return exp.Window(this=template(what), partition_by=[key.copy() for key in keys])

        if self.how == "fence":
            q1, q3 = (over(quartile.format(n="__n")) for quartile in _QUARTILES)
            windowed = exp.select(col(RECORD), "__n", exp.alias_(q1, "__a"), exp.alias_(q3, "__b")).from_(
                base.subquery("base")
            )
            outside = template("__n < __a - :t * (__b - __a) OR __n > __b + :t * (__b - __a)", t=times)
        else:
            middle = exp.select("*", exp.alias_(over("median(__n)"), "__m")).from_(base.subquery("base"))
            away = exp.select("*", exp.alias_(over("median(abs(__n - __m))"), "__d")).from_(middle.subquery("middle"))
            windowed, outside = away, template("__d > 0 AND abs(__n - __m) > :t * 1.4826 * __d", t=times)
        return exp.select(col(RECORD)).from_(windowed.subquery("looked")).where(outside)

    def phrase(self) -> str:
        return "is far outside the others"


KIND = OutlierFence
