"""Records whose cells are shifted by a column."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from itertools import accumulate, combinations

from sqlglot import exp

from pravin_core.engines.functions import LONG
from pravin_core.engines.kinds import MISSING_TOKENS, double_of, shape_of
from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, make, some_records, these_records
from pravin_core.profiling.findings.columns.personal import MAIL, PHONE
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import TableStudy
from pravin_core.sql.statements import temporary_table
from pravin_core.sql.trees import column, joined, sql, template
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import NUMBERS

KIND = Kind(
    "shifted columns",
    "Records of which at least two cells do not fit their columns, and nearly all fit the columns beside them: from "
    "one column on every cell stands one place too far.",
)
SWAPPED = Kind(
    "swapped columns",
    "Records in which the cells of two columns fit each the other column and not their own, in shape or kind.",
)
CANDIDATES = 2000
MOST_SHAPES = 12
AT_ONCE = 32  # columns
_TELLS_NOTHING = {LONG, "-", "--", "---", "?", "??", ".", "a/a", "A/A"}
_NUMBER = re.compile(r"^[+-]?(?:\d+[.,]?\d*|[.,]\d+)(?:[eE][+-]?\d+)?$")


def find(table: TableStudy) -> Iterator[Finding]:
    """Records shifted to the left or the right, and pairs of columns exchanged."""
    columns = [column for column in table.columns if column.distinct]
    if len(columns) < 3 or len(columns) > 300:
        return
    forms = {
        each_column.name: _Form(each_column, _some([text for text in table.sample[each_column.name].texts if text]))
        for each_column in columns
    }
    strict = [column for column in columns if forms[column.name].strict]
    if len(strict) < 2:
        return
    doubtful = [each_column for each_column in strict if forms[each_column.name].misfits]
    if len(doubtful) < 2:
        return
    rows = _cells(table, _candidates(table, [forms[each_column.name] for each_column in doubtful]))
    ordered = [forms.get(column.name) for column in table.columns]
    shifted = [number for number, texts in rows if _is_shifted(texts, ordered)]
    if shifted:
        yield make(
            KIND, (), "high", len(shifted), table.records,
            f"{some_records(len(shifted))} whose cells stand one column too far",
            evidence=[Evidence(value=f"record {number:,}", count=1) for number in sorted(shifted)],
            **these_records(shifted),
        )  # fmt: skip
    yield from _swapped(table, [(n, texts) for n, texts in rows if n not in set(shifted)], ordered)


def _candidates(table: TableStudy, forms: Sequence[_Form]) -> list[int]:
    """The numbers of the first records in which at least two cells do not look like their columns.

    Some columns at a time: what the engine needs to judge a cell it holds for each column that one statement asks about.
    """
    groups = [forms[at : at + AT_ONCE] for at in range(0, len(forms), AT_ONCE)]
    counted = []
    for at, group in enumerate(groups):
        odd = joined(exp.Add, [template("CASE WHEN :fits THEN 0 ELSE 1 END", fits=form.fits()) for form in group])
        cells = exp.select(column(RECORD).as_("record"), odd.as_("odd")).from_(table.source)
        some = exp.select(exp.Star()).from_(cells.subquery("c")).where("odd > 0" if len(groups) > 1 else "odd > 1")
        table.con.execute(sql(temporary_table(f"odd_{at}", some)))
        counted.append(exp.select(exp.Star()).from_(f"odd_{at}"))
    every = exp.union(*counted, distinct=False) if len(counted) > 1 else counted[0]
    of_record = exp.select("record").from_(every.subquery("o")).group_by("record").having("sum(odd) > 1")
    return [number for (number,) in table.ask(of_record.order_by("record").limit(CANDIDATES))]


def _cells(table: TableStudy, numbers: Sequence[int]) -> list[tuple[int, list[str]]]:
    """The records of some numbers with the texts of all columns."""
    if not numbers:
        return []
    cells = exp.Array(expressions=[text_of(column.name) for column in table.columns])
    those = exp.In(this=column(RECORD), expressions=[exp.Literal.number(number) for number in numbers])
    rows = table.ask(exp.select(column(RECORD), cells).from_(table.source).where(those).order_by(column(RECORD)))
    return [(number, texts) for number, texts in rows]


class _Form:
    """What the values of a column look like: its kind, or its usual shapes."""

    def __init__(self, profile: ColumnProfile, texts: Sequence[str]) -> None:
        present = sum(n for kind, n in profile.kinds.items() if kind not in ("missing", "missing token"))
        self.name = profile.name
        self.numeric = profile.type in NUMBERS
        self.shapes: set[str] = set()
        self.misfits = profile.misfits
        if profile.numbers:
            q = profile.numbers.quantiles
            slack = 3 * (q["0.75"] - q["0.25"]) + 1e-9
            self.low, self.high = q["0.01"] - slack, q["0.99"] + slack
            self.misfits += profile.numbers.minimum < self.low or profile.numbers.maximum > self.high
        if not self.numeric and present:
            reached = 0
            for shape in profile.shapes:
                least = 0.005 if reached < 0.95 * present else 0.03  # so few may be those of another column
                if shape.count < least * present or len(self.shapes) == MOST_SHAPES:
                    break
                if shape.value in _TELLS_NOTHING:
                    continue
                self.shapes.add(shape.value)
                reached += shape.count
            if reached < 0.9 * present or all(_only_letters(shape) for shape in self.shapes):
                self.shapes = set()
            self.misfits = present - reached
        self.form = "" if self.numeric or self.shapes else _known_form(texts)
        self.strict = self.numeric or bool(self.shapes or self.form)

    def fits(self) -> exp.Expr:
        """Whether a cell of the column looks like it."""
        cell = text_of(self.name)
        if self.numeric:
            own = template(
                "regexp_full_match(trim(:c), :p) AND :number BETWEEN :low AND :high",
                c=cell,
                number=double_of(cell),
                p=exp.Literal.string(_NUMBER.pattern.strip("^$")),
                low=exp.cast(exp.Literal.string(repr(self.low)), "DOUBLE"),
                high=exp.cast(exp.Literal.string(repr(self.high)), "DOUBLE"),
            )
        elif self.form:
            own = template("regexp_matches(:c, :p)", c=cell, p=exp.Literal.string(self.form))
        else:
            own = exp.In(this=shape_of(cell), expressions=[exp.Literal.string(shape) for shape in sorted(self.shapes)])
        tokens = exp.Array(expressions=[exp.Literal.string(token) for token in ("", *MISSING_TOKENS)])
        return template(":own OR list_contains(:tokens, lower(trim(:c)))", own=exp.paren(own), tokens=tokens, c=cell)

    def takes(self, text: str) -> bool:
        """The same of a text."""
        if self.form:
            return bool(re.match(self.form, text))
        if not self.numeric:
            return shape(text) in self.shapes
        plain = text.strip()
        return bool(_NUMBER.match(plain)) and self.low <= float(plain.replace(",", ".")) <= self.high

    def judges(self, text: str) -> bool:
        """Whether a text tells anything: tokens for missing fit everywhere."""
        return self.strict and text.strip().lower() not in ("", *MISSING_TOKENS)


def _only_letters(shape: str) -> bool:
    """Whether a shape is that of plain words, which tells columns of words not apart."""
    return not any(c == "9" or not (c.isalpha() or c == " ") for c in shape)


def _some(texts: list[str]) -> list[str]:
    """At most 300 of the different texts, at even distances."""
    return texts[:: max(1, len(texts) // 300)][:300]


def _known_form(texts: Sequence[str]) -> str:
    """The pattern of e-mail addresses or telephone numbers, if most of a column's texts are such."""
    for form in (MAIL, PHONE):
        if texts and sum(bool(re.match(form, text)) for text in texts) >= 0.8 * len(texts):
            return form
    return ""


def shape(text: str) -> str:
    """The shape of one text."""
    return "".join("9" if c.isdecimal() else "A" if c.isupper() else "a" if c.islower() else c for c in text)


Score = tuple[int, int]  # cells that fit a column, and cells that do not


def _scores(texts: Sequence[str], forms: Sequence[_Form | None]) -> list[Score]:
    """For each text and the column at its place whether it fits; neither where it or the column tells nothing."""
    return [
        (int(fits := form.takes(text)), int(not fits)) if form and form.judges(text) else (0, 0)
        for text, form in zip(texts, forms, strict=True)
    ]


def _sums(scores: Iterable[Score]) -> list[Score]:
    """The sums of the first 0, 1, 2, … scores."""
    return list(accumulate(scores, lambda total, score: (total[0] + score[0], total[1] + score[1]), initial=(0, 0)))


def _is_shifted(texts: Sequence[str], forms: Sequence[_Form | None]) -> bool:
    """Whether from one column on all cells fit much better one place to the left, or to the right.

    Each cell is judged in its own column and in those beside it once; sums from both ends tell every place to begin at.
    """
    before = _sums(_scores(texts, forms))
    wrong = before[-1][1]
    if wrong < 2:
        return False
    to_left = _sums(reversed(_scores(texts[1:], forms[:-1])))
    to_right = _sums(reversed(_scores(texts[:-1], forms[1:])))
    for start in range(len(texts) - 1):
        for behind in (to_left[len(texts) - 1 - start], to_right[len(texts) - 1 - start]):
            good, bad = before[start][0] + behind[0], before[start][1] + behind[1]
            if bad <= wrong * 0.25 and wrong - bad >= 2 and good >= 3:
                return True
    return False


def _swapped(
    table: TableStudy, rows: Sequence[tuple[int, Sequence[str]]], forms: Sequence[_Form | None]
) -> Iterator[Finding]:
    met: dict[tuple[int, int], list[int]] = {}
    for number, texts in rows:
        wrong = [i for i, form in enumerate(forms) if form and form.judges(texts[i]) and not form.takes(texts[i])]
        pairs = [
            (i, j)
            for i, j in combinations(wrong, 2)
            if (first := forms[i]) and (second := forms[j]) and first.takes(texts[j]) and second.takes(texts[i])
        ]
        if len(pairs) == 1 and len(wrong) <= 4:
            met.setdefault(pairs[0], []).append(number)
    for (i, j), numbers in met.items():
        names = [table.columns[i].name, table.columns[j].name]
        yield make(
            SWAPPED, names, "high", len(numbers), table.records,
            f"{some_records(len(numbers))} in which {names[0]} and {names[1]} are exchanged",
            evidence=[Evidence(value=f"record {number:,}", count=1) for number in sorted(numbers)],
            **these_records(numbers),
        )  # fmt: skip
