"""What a text that people read must not hold: old words, wrong plurals, doubled spaces, inner names, words of libraries."""

from __future__ import annotations

import re

# Words that were on screen once and say less than the trade's own; by the word that stands there now.
OLD_WORDS = {
    r"[Ll]eave it": "Cancel", r"[Ff]orget (it|this)": "Discard", r"[Tt]ake (it|that|this) back": "Undo",
    r"[Tt]ake (a|the) rulebook over": "Import", r"[Hh]eld back": "quarantined", r"[Ww]orklist": "findings",
    r"[Nn]arrowing": "cross-filter", r"[Ss]ide by side": "compare", r"[Ff]oretell\w*|[Ff]oretold": "predict",
    r"[Ff]alls? out": "is excluded", r"[Mm]end(ed|s)?": "repair",
    r"\b[Ff]ate\b": "outcome", r"[Kk]ept filters": "saved filters", r"gates? open": "not met",
    r"small letters": "lower case", r"[Bb]ring (it|them) back": "restore", r"\b[Ss]kill\b": "predictive strength",
    r"[Ff]ingerprint": "sha256", r"what is none": "values that do not convert", r"[Rr]ead as (number|date)": "convert",
    r"[Tt]ake(s|n)? .{0,40}\baway\b": "remove", r"different values": "distinct values",
    r"one a line": "one per line", r"is not filled in": "is empty", r"[Ss]et apart": "quarantined",
}  # fmt: skip
NOUNS = (
    "record|value|cell|column|rule|row|line|file|finding|group|day|character|source|delivery|code|feed|place|spelling|"
    "version|release|person|entry|match|number|date|name|table|sheet"
)
_FAULTS = {
    r"[^\s]  +[^\s]": "two spaces",
    r"\s[,;.:](\s|$)": "a space before a mark",
    r"(?<![\d.,:/-])1 (?:" + "|".join(f"{noun}s" for noun in NOUNS.split("|")) + r"|deliveries|entries|matches)\b": "a plural after 1",
    r"(?<![\d.,])(?:[02-9]|\d[\d,]*\d) (?:" + NOUNS + r")\b(?!-)": "a singular after a number",
    r"\b(?:None|True|False|NaN|nan)\b": "a word of a program",
    r"[Ii]nput should|[Ff]ield required|validation error|Value error|Traceback|Exception|object at 0x": "a library's words",
    r"(?<![\w.(“'/:%])[a-z]+(?:_[a-z]+)+(?![\w(])": "an inner name",
    r"[{}]": "an unfilled place",
}  # fmt: skip
_QUOTED = re.compile(r"“[^”]*”|'[^']*'|\"[^\"]*\"|`[^`]*`")


def old_words(text: str) -> list[str]:
    """The old words in a text, each with what says it better."""
    return [
        f"{match.group(0)!r}: say {better!r}"
        for pattern, better in OLD_WORDS.items()
        if (match := re.search(rf"(?<!\w)(?:{pattern})(?!\w)", text))
    ]


def faults(text: str, data: tuple[str, ...] = ()) -> list[str]:
    """What is wrong with a text that people read; `data` and whatever stands in quotation marks is not judged."""
    judged = _QUOTED.sub("“x”", text)
    for value in sorted(data, key=len, reverse=True):
        judged = judged.replace(value, "X") if value.strip() else judged
    results = [
        f"{what}: {match.group(0)!r}" for pattern, what in _FAULTS.items() if (match := re.search(pattern, judged))
    ]
    return [*results, *old_words(judged)]
