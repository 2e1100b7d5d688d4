"""Cells one column too far, against the plain way: move the cells and look again."""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from test_findings import findings
from test_findings_between_columns import of, opened

from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.findings.tables import shifted


@dataclass(frozen=True)
class Letters:
    """A column of texts that begin with one letter."""

    letter: str
    strict: bool = True

    def takes(self, text: str) -> bool:
        return text.startswith(self.letter)

    def judges(self, text: str) -> bool:
        return self.strict and text != ""


Columns = list[Letters | None]


def score(texts: Sequence[str], columns: Columns) -> tuple[int, int]:
    """How many cells fit their column and how many do not, where that can be told."""
    fits = [c.takes(t) for t, c in zip(texts, columns, strict=True) if c and c.judges(t)]
    return sum(fits), len(fits) - sum(fits)


def by_moving(texts: list[str], columns: Columns) -> bool:
    """Every place to begin at, both ways, cell by cell."""
    wrong = score(texts, columns)[1]
    for at in range(len(texts) - 1):
        for moved in ([*texts[:at], *texts[at + 1 :], ""], [*texts[:at], "", *texts[at:-1]]):
            good, bad = score(moved, columns)
            if wrong >= 2 and bad <= wrong / 4 and wrong - bad >= 2 and good >= 3:
                return True
    return False


COLUMNS = st.lists(st.none() | st.builds(Letters, st.sampled_from("abc"), st.booleans()), min_size=1, max_size=9)


@st.composite
def records(draw: st.DrawFn) -> tuple[list[str], Columns]:
    """A record that fits its columns but for slips, and that may have lost or gained a cell."""
    columns = draw(COLUMNS)
    letters = [column.letter if column else "x" for column in columns]
    texts = [draw(st.sampled_from([letter, letter, letter, letter, "a", ""])) for letter in letters]
    at = draw(st.integers(0, len(texts) - 1))
    moved = draw(st.sampled_from(["not", "left", "right"]))
    if moved == "left":
        texts = [*texts[:at], *texts[at + 1 :], ""]
    if moved == "right":
        texts = [*texts[:at], "", *texts[at:-1]]
    return texts, columns


@given(records())
def test_a_record_is_shifted_where_moving_its_cells_makes_them_fit(drawn: tuple[list[str], Columns]) -> None:
    texts, columns = drawn
    assert shifted._is_shifted(texts, columns) == by_moving(texts, columns)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("texts", "is_shifted"),
    [
        ("a b c a b c", False),
        ("b c a b c .", True),  # from the first column on, to the left
        (". a b c a b", True),  # and to the right
        ("a b a b c .", True),  # from the third on
        ("a b c a c .", False),  # one cell that does not fit is a slip
        ("b a c a b c", False),  # two exchanged are not shifted
        (". . b c . .", False),  # too few cells would fit
    ],
)
def test_which_records_are_shifted(texts: str, is_shifted: bool) -> None:
    columns = [Letters(letter) for letter in "abcabc"]
    cells = [cell.strip(".") for cell in texts.split(" ")]
    assert shifted._is_shifted(cells, columns) is is_shifted  # type: ignore[arg-type]
    assert by_moving(cells, [*columns]) is is_shifted


Cells = list[str | None]
Table = Callable[[dict[str, Cells]], Snapshot]


def readings(seed: int, records: int, texts: dict[str, int], unit: tuple[str, ...]) -> dict[str, Cells]:
    """Readings of tanks after columns of texts of so many words; two records have their readings one column too far."""
    rng = random.Random(seed)
    words = ("weir", "left", "bank", "below", "the", "mill", "gauge", "42", "read", "again")
    columns: dict[str, Cells] = {"no": [f"R{1000 + at}" for at in range(records)]}
    columns |= {name: [" ".join(rng.choices(words, k=count)) for _ in range(records)] for name, count in texts.items()}
    moving: dict[str, Cells] = {
        "tank": [f"T-{rng.randrange(10)}" for _ in range(records)],
        "amount": [f"{rng.gauss(40, 4):.1f}" for _ in range(records)],
        "unit": [rng.choice(unit) for _ in range(records)],
        "pressure": [f"{rng.gauss(1010, 4):.0f}" for _ in range(records)],
        "rest": [""] * records,
    }
    for record in SHIFTED:
        cells = [moving[name][record - 1] for name in moving]
        for name, cell in zip(moving, ["", *cells[:-1]], strict=True):
            moving[name][record - 1] = cell
    return columns | moving


SHIFTED = {20, 120}


def are_told(table: Table, work: Path, columns: dict[str, Cells]) -> None:
    """Whether the door of the finding opens the shifted records and no others."""
    snapshot, every = findings(table, work, columns)
    result = of(every, "shifted columns")
    assert [opened(snapshot, finding, work) for finding in result] == [SHIFTED]
    assert result[0].count == len(SHIFTED)
    assert result[0].severity == "high"


@pytest.mark.parametrize("at_once", [1, 2, 32])
def test_a_raised_three_is_no_digit(
    table: Table, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, at_once: int
) -> None:
    """Texts such as m³ have the shape that the engine gives them, whatever columns are judged together."""
    monkeypatch.setattr(shifted, "AT_ONCE", at_once)
    are_told(table, tmp_path, readings(12, 200, {}, ("m³", "m²")))


def test_long_texts_tell_no_shift(table: Table, tmp_path: Path) -> None:
    """All texts of more than 40 characters have one shape, which is none of theirs: it must not hide the records that are shifted,
    nor make others look so.
    """
    are_told(
        table,
        tmp_path,
        readings(5, 400, {"remark": 14, "follow up": 16, "advice": 15, "note": 15, "word": 17}, ("l", "m3")),
    )
