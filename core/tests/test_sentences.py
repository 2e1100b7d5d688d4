"""What rules say of themselves, in every way that their fields make them say it, and what they are refused for."""

from __future__ import annotations

import json
from typing import Any

import pytest

from pravin_core.errors import RulebookError
from pravin_core.rules.rulebook import parse_rulebook

Rule = dict[str, Any]
SAID: list[tuple[Rule, str]] = [
    ({"kind": "replace-text", "columns": ["a"], "find": "x"}, "Remove x in a."),
    ({"kind": "replace-text", "columns": ["a"], "find": "x", "replacement": "y", "place": "start", "first": 1, "ignore_case": True}, "Replace x at the beginning with y in a (the first of each value), ignoring letter case."),
    ({"kind": "replace-text", "columns": ["a"], "find": "x", "from_column": "b", "place": "words", "first": 3}, "Replace x as a whole word with the value of b in a (the first 3 of each value)."),
    ({"kind": "replace-several", "columns": ["a"], "pairs": [{"code": "0", "meaning": ""}, {"code": "1", "meaning": "y"}, {"code": "2", "meaning": "y"}, {"code": "3", "meaning": "y"}, {"code": "4", "meaning": "y"}, {"code": "5", "meaning": "y"}], "words": True, "ignore_case": True}, "Replace 0 with nothing, 1 with y, 2 with y, 3 with y and 2 more in a, whole words only, ignoring letter case."),
    ({"kind": "rename-columns", "way": "list", "names": [{"code": "a", "meaning": "x"}]}, "Rename a to x."),
    ({"kind": "rename-columns", "way": "list", "names": [{"code": "a", "meaning": "x"}, {"code": "b", "meaning": "y"}, {"code": "c", "meaning": "z"}]}, "Rename a to x and 2 more."),
    ({"kind": "pad", "columns": ["a"], "length": 4}, "Pad a at the left with 0 to 4 characters."),
    ({"kind": "pad", "columns": ["a"], "length": 4, "side": "right", "character": "."}, "Pad a at the right with . to 4 characters."),
    ({"kind": "mask", "columns": ["a"], "how": "last", "shown": 3}, "Hide the values of a but for the last 3 characters."),
    ({"kind": "one-to-one", "columns": ["a", "b"], "direction": "both"}, "a and b determine each other."),
    ({"kind": "remove-incomplete"}, "Remove records in which any value is missing."),
    ({"kind": "remove-incomplete", "columns": ["a", "b"], "least": 2}, "Remove records in which at least 2 values are missing in a, b."),
    ({"kind": "missing-count", "columns": ["a", "b"], "most": 0}, "Of a, b no value is missing."),
    ({"kind": "missing-count", "columns": ["a", "b", "c"], "most": 1}, "Of a, b, c at most 1 value is missing."),
    ({"kind": "missing-count", "columns": ["a", "b", "c"], "most": 2, "consequence": "note"}, "Of a, b, c at most 2 values are missing. Only noted."),
    ({"kind": "split-by-share", "into": "part", "percent": 12.5, "first": "try", "second": "rest", "column": "site"}, "Write try into 12.5 % of the records drawn by chance, and rest into the others, in the column part, those with the same site together."),
    ({"kind": "split-by-share", "into": "part"}, "Write train into 80 % of the records drawn by chance, and test into the others, in the column part."),
    ({"kind": "remove-duplicates"}, "Remove records that repeat another one in every column, keep the first."),
    ({"kind": "remove-duplicates", "columns": ["a"], "alike": True, "keep": "last"}, "Remove records that repeat a, ignoring letter case and spaces, keep the last."),
    ({"kind": "in-range", "columns": ["a"], "low": "1"}, "a is not below 1."),
    ({"kind": "in-range", "columns": ["a", "b"], "low": "1", "high": "2", "consequence": "stop"}, "a, b are between 1 and 2. Stops the release."),
    ({"kind": "text-length", "columns": ["a"], "least": 2}, "a has at least 2 characters."),
    ({"kind": "text-length", "columns": ["a"], "least": 2, "most": 3}, "a has 2 to 3 characters."),
    ({"kind": "text-length", "columns": ["a"], "most": 1}, "a has at most 1 character."),
    ({"kind": "allowed-values", "columns": ["a"], "values": ["x"]}, "a is one of x."),
    ({"kind": "allowed-values", "columns": ["a"], "values": ["0", "1", "2", "3", "4", "5", "6", "7", "8", "9", "10", "11", "12", "13", "14"]}, "a is one of 0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11 and 3 more."),
    ({"kind": "record-count", "least": 5}, "The result has at least 5 records. Stops the release."),
    ({"kind": "record-count", "least": 5, "most": 9}, "The result has 5 to 9 records. Stops the release."),
    ({"kind": "record-count", "most": 9}, "The result has at most 9 records. Stops the release."),
    ({"kind": "share-missing", "column": "a", "most": 5}, "At most 5 % of a are missing. Stops the release."),
    ({"kind": "share-missing", "column": "a", "most": 5, "as_count": True}, "At most 5 values of a are missing. Stops the release."),
    ({"kind": "distinct-count", "column": "a", "least": 2, "most": 4}, "a has 2 to 4 distinct values. Stops the release."),
    ({"kind": "drift", "of": "records", "expected": 1000, "tolerance": 10, "in_percent": True}, "The number of records differs from 1000 by at most 10 %. Stops the release."),
    ({"kind": "drift", "of": "mean", "column": "a", "expected": 7, "tolerance": 1}, "The mean of a differs from 7 by at most 1 %. Stops the release."),
    ({"kind": "freshness", "column": "a", "days": 1}, "The newest a is at most 1 day before the day of the delivery. Stops the release."),
    ({"kind": "freshness", "column": "a", "days": 30}, "The newest a is at most 30 days before the day of the delivery. Stops the release."),
    ({"kind": "date-window", "columns": ["a"], "back": 1, "ahead": 0}, "a is at most 1 day before and not after the day of the delivery."),
    ({"kind": "date-window", "columns": ["a"], "back": 30, "ahead": 2}, "a is at most 30 days before and at most 2 days after the day of the delivery."),
    ({"kind": "remove-first", "count": 1}, "Remove the first record."),
    ({"kind": "remove-first", "count": 3, "at": "end", "each_file": True}, "Remove the last 3 records of each source file."),
    ({"kind": "remove-where", "columns": ["a"], "values": ["x", "y"]}, "Remove records where a is one of x, y."),
    ({"kind": "remove-fitting", "formula": "a > 1"}, "Remove records where a > 1."),
    ({"kind": "round-numbers", "columns": ["a"], "places": 2}, "Round a to 2 decimal places."),
    ({"kind": "round-numbers", "columns": ["a"], "how": "down"}, "Round a down to 0 decimal places."),
    ({"kind": "limit-numbers", "columns": ["a"], "low": 0}, "Clip a to at least 0."),
    ({"kind": "limit-numbers", "columns": ["a"], "low": 0, "high": 14}, "Clip a to at least 0 and at most 14."),
    ({"kind": "scale-values", "columns": ["a"], "factor": 0.1, "low": "14", "high": "140"}, "Multiply a by 0.1 where they are between 14 and 140."),
    ({"kind": "unique", "columns": ["a"]}, "a is unique."),
    ({"kind": "unique", "columns": ["a", "b"]}, "a, b together are unique."),
    ({"kind": "without-gaps", "columns": ["a"], "step": 1}, "a runs in steps of 1 without gaps."),
    ({"kind": "compare-columns", "columns": ["a"], "sign": "<", "other": "b"}, "a is less than b."),
    ({"kind": "columns-present", "names": ["a", "b"], "no_others": True}, "There are the columns a, b and no others. Stops the release."),
    ({"kind": "control-total", "column": "a", "total": "100", "tolerance": "0.5"}, "The sum of a is 100, give or take 0.5. Stops the release."),
    ({"kind": "of-type", "columns": ["a"], "type": "date"}, "a is a date."),
]  # fmt: skip
REFUSED: list[tuple[Rule, str]] = [
    ({"kind": "drift", "of": "mean", "expected": 1}, "Drift: choose the column that is measured."),
    ({"kind": "drift", "of": "spread", "expected": 1}, "Drift: choose the column that is measured."),
    ({"kind": "drift", "of": "percent missing", "expected": 1}, "Drift: choose the column that is measured."),
    ({"kind": "mask", "columns": ["a"], "how": "last", "shown": 21}, "Mask or hash: “Last characters shown” must be at most 20."),
    ({"kind": "mask", "columns": ["a"], "how": "hash"}, "Mask or hash: give a key: without one anybody could try values out."),
    ({"kind": "missing-count", "columns": []}, "Missing values per record: “Columns” is empty."),
    ({"kind": "missing-count", "columns": ["a"], "most": -1}, "Missing values per record: “Missing at most” must be at least 0."),
    ({"kind": "remove-incomplete", "least": 0}, "Remove incomplete records: “Missing at least” must be at least 1."),
    ({"kind": "split-by-share", "into": "p", "percent": 100}, "Split by share: “Percent in the first part” must be less than 100."),
    ({"kind": "split-by-share", "into": "p", "percent": 0}, "Split by share: “Percent in the first part” must be more than 0."),
    ({"kind": "replace-several", "columns": ["a"], "pairs": [{"code": "", "meaning": "x"}]},
     "Replace several texts: “Find and replace with, row 1, code” is empty."),
    ({"kind": "replace-several", "columns": ["a"], "pairs": [{"code": "x", "meaning": "y"}] * 61},
     "Replace several texts: “Find and replace with” has more than 60 entries."),
    ({"kind": "one-to-one", "columns": ["a"]}, "One-to-one pairs: choose two columns."),
    ({"kind": "one-to-one", "columns": ["a", "b", "c"]}, "One-to-one pairs: choose two columns."),
    ({"kind": "pad", "columns": ["a"], "length": 4, "character": "ab"}, "Pad: “With the character” has more than 1 character."),
    ({"kind": "pad", "columns": ["a"], "length": 4, "character": ""}, "Pad: “With the character” is empty."),
    ({"kind": "scale-values", "columns": ["a"], "factor": 0}, "Scale numbers: the factor must be a number other than 0."),
    ({"kind": "text-length", "columns": ["a"]}, "Text length: give the least or the most characters."),
    ({"kind": "text-length", "columns": ["a"], "least": 5, "most": 2}, "Text length: the most characters are fewer than the least."),
    ({"kind": "in-range", "columns": ["a"]}, "Range: give a lower or an upper limit."),
    ({"kind": "in-range", "columns": ["a"], "low": "10", "high": "9"}, "Range: the lower limit is above the upper one."),
    ({"kind": "in-range", "columns": ["a"], "low": "2024-03-02", "high": "2024-03-01 10:00"}, "Range: the lower limit is above the upper one."),
    ({"kind": "in-range", "columns": ["a"], "low": "1", "high": "2024-03-01"}, "Range: one limit is a number and the other a date."),
    ({"kind": "rename-columns", "way": "list", "names": []}, "Rename columns: give at least one column and its new name."),
    ({"kind": "nowhere"}, "There is no kind of rule “nowhere”."),
    ({"columns": ["a"]}, "Rule 1 does not say its kind."),
]  # fmt: skip
ACCEPTED: list[Rule] = [
    {"kind": "drift", "of": "records", "expected": 1}, {"kind": "drift", "of": "median", "column": "a", "expected": 1},
    {"kind": "mask", "columns": ["a"], "how": "last", "shown": 20},
    {"kind": "in-range", "columns": ["a"], "low": "9", "high": "10"}, {"kind": "in-range", "columns": ["a"], "low": "5", "high": "5"},
    {"kind": "in-range", "columns": ["a"], "low": ":top", "high": "1"}, {"kind": "in-range", "columns": ["a"], "low": "9", "high": ":top"},
    {"kind": "in-range", "columns": ["a"], "low": "2024-03-01T10:00+02:00", "high": "2024-03-01"},
]  # fmt: skip


def read(rule: Rule) -> Any:
    return parse_rulebook(json.dumps({"rules": [{"id": "r", **rule}]})).rules[0]


@pytest.mark.parametrize(("rule", "sentence"), SAID, ids=[sentence for _, sentence in SAID])
def test_what_a_rule_says(rule: Rule, sentence: str) -> None:
    assert "".join(part.text for part in read(rule).describe()) == sentence


@pytest.mark.parametrize(("rule", "message"), REFUSED, ids=[message for _, message in REFUSED])
def test_what_a_rule_is_refused_for(rule: Rule, message: str) -> None:
    with pytest.raises(RulebookError) as refusal:
        read(rule)
    assert str(refusal.value).startswith(message)


@pytest.mark.parametrize("rule", ACCEPTED, ids=str)
def test_what_is_just_within_is_accepted(rule: Rule) -> None:
    assert read(rule).kind == rule["kind"]
