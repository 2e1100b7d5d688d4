"""What a profile holds. The JSON of these models is the documented form (docs/cli.md)."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from pravin_core.records.filters import AnyFilter
from pravin_core.tables.types import DataType, Role

Severity = Literal["high", "middle", "low"]


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True)


class ValueCount(_Part):
    """A text and how many cells hold it."""

    value: str
    count: int


class Bin(_Part):
    """One bar of a distribution and its cells: numbers from `low` to below `high` (the last one included), days from `low` to
    `high`. An `outer` bar stands for all beyond the body, however far.
    """

    low: str
    high: str
    count: int
    outer: bool = False


class Distribution(_Part):
    """`of` is numbers, sizes (numbers above zero, in bars of equal ratio), dates or values (the most frequent ones)."""

    of: str
    bins: tuple[Bin, ...]


class NumberBody(_Part):
    """The numbers that lie within three interquartile ranges of the quartiles (Tukey's outer fences, 1977): a few wrong ones leave
    these measures alone.
    """

    count: int
    mean: float
    standard_deviation: float | None


class NumberStatistics(_Part):
    """Statistics of all cells that read as a number. Missing where undefined (e.g. spread of one value); `body` also in profiles that
    were made before it was measured.
    """

    count: int
    minimum: float
    maximum: float
    mean: float
    median: float
    standard_deviation: float | None
    variance: float | None
    skewness: float | None
    kurtosis: float | None
    total: float | None
    quantiles: dict[str, float]
    positive: int
    negative: int
    zero: int
    positive_total: float | None
    negative_total: float | None
    decimal_mark: str
    body: NumberBody | None = None


class DateStatistics(_Part):
    """Statistics of all cells that read as a date or date-time (ISO 8601 text)."""

    count: int
    first: str
    last: str
    formats: tuple[ValueCount, ...]
    by_year: tuple[ValueCount, ...]
    by_month: tuple[ValueCount, ...]
    by_weekday: tuple[ValueCount, ...]
    by_hour: tuple[ValueCount, ...] = ()
    future: int
    now: str = ""


class TextStatistics(_Part):
    """Lengths in characters over all cells that are not missing; cells with spaces at an end or invisible marks."""

    shortest: int
    longest: int
    mean_length: float
    mean_words: float
    mean_letters: float = 0.0
    outer_spaces: int
    invisible: int


class ColumnProfile(_Part):
    """Everything measured about one column. `meant` are words such as none that else stand for missing, but are a category here."""

    name: str
    position: int
    type: DataType
    role: Role
    fits: int
    misfits: int
    misfit_examples: tuple[ValueCount, ...]
    kinds: dict[str, int]
    missing: int
    distinct: int
    values: tuple[ValueCount, ...]
    shapes: tuple[ValueCount, ...]
    text: TextStatistics | None
    numbers: NumberStatistics | None
    dates: DateStatistics | None
    distribution: Distribution
    by_size: Distribution | None = None
    meant: tuple[ValueCount, ...] = ()

    @property
    def decimal_mark(self) -> str:
        """The mark that most decimals of the column are written with; the point where it has no numbers."""
        return self.numbers.decimal_mark if self.numbers else "."


class Evidence(_Part):
    """A value that was found, its cells, and what the proposed rule would make of it."""

    value: str
    count: int
    becomes: str | None = None


class Finding(_Part):
    """One thing the profile noticed.

    `count` is cells of a column or records of the table, `share` of the records. `filters` open the records, and
    `opens` is how many that are, where it is not `count` (those that a record repeats stand beside it, say);
    `rule` is a proposed rule without its id, `effect` how many cells it changes, records it removes or breaks.
    """

    id: str
    kind: str
    columns: tuple[str, ...]
    severity: Severity
    count: int
    share: float
    says: str
    evidence: tuple[Evidence, ...] = ()
    filters: tuple[AnyFilter, ...] = ()
    rule: dict[str, Any] | None = None
    effect: int | None = None
    opens: int | None = None


class Profile(_Part):
    """Everything measured about a delivery. `unjudged` names what a fault of ours, or too little memory, kept from being
    judged; `awaited` columns are not measured yet, and nothing is known of the table as a whole."""

    records: int
    rejected: int
    missing_cells: int
    records_with_missing: int
    empty_records: int
    duplicate_records: int
    columns: tuple[ColumnProfile, ...]
    findings: tuple[Finding, ...] = ()
    unjudged: tuple[str, ...] = ()
    awaited: int = 0
