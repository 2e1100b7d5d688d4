"""Words and characters of a column against Python's own counting."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from pravin_core.errors import RunError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.words import SHOWN, words_of
from pravin_core.records.filters import make_filter
from pravin_core.records.pages import Stage, find_records

Table = Callable[[dict[str, list[str | None]]], Snapshot]
TEXTS = st.text(alphabet="abcé Ä-_.,1 2\t", max_size=14)


@given(cells=st.lists(st.one_of(TEXTS, st.none()), min_size=1, max_size=25))
@settings(max_examples=50, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_words_and_characters_are_those_that_python_counts(
    cells: list[str | None], table: Table, tmp_path: Path
) -> None:
    snapshot = table({"v": cells})
    found_words = words_of(snapshot, "v", tmp_path / "s")
    words = Counter(word for cell in cells for word in set(re.findall(r"[^\W_]+", (cell or "").lower())))
    characters = Counter(character for cell in cells for character in cell or "" if not character.isspace())
    assert {each_word.value: each_word.count for each_word in found_words.words} == dict(words)
    assert {each_character.value: each_character.count for each_character in found_words.characters} == dict(characters)
    assert (found_words.different_words, found_words.different_characters) == (len(words), len(characters))
    assert [each_word.count for each_word in found_words.words] == sorted(words.values(), reverse=True)
    for each_word in found_words.words[:4]:
        door = make_filter("column", name="v", test="matches", value=each_word.pattern)
        assert len(find_records(Stage(snapshot), [door], None, False, tmp_path / "d")) == each_word.count


def test_only_the_most_frequent_are_shown_and_all_are_counted(table: Table, tmp_path: Path) -> None:
    words = words_of(table({"v": [f"w{n} often" for n in range(100)]}), "v", tmp_path / "s")
    assert (len(words.words), words.different_words, words.words[0].value) == (SHOWN, 101, "often")


def test_a_column_that_is_not_there_is_refused(table: Table, tmp_path: Path) -> None:
    with pytest.raises(RunError, match="no column 'w'"):
        words_of(table({"v": ["a"]}), "w", tmp_path / "s")
