"""Groups of spelling variants, by six methods, with blocking so that 50,000 values take seconds."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from rapidfuzz.distance import DamerauLevenshtein
from rapidfuzz.process import cdist

from pravin_core.profiling.variants.keys import folded, ngrams, normalised, numbers, sound, spelling

METHODS = {
    "spelling": "The same letters, numbers and signs in the same order, whatever their case, accents, marks and spaces.",
    "normalised key": "The same words, whatever their order, case, accents, marks and spaces.",
    "n-grams": "The same pairs of neighbouring letters, whatever the spaces and their order.",
    "edit distance": "In each word at most one letter left out, added, changed or exchanged with its neighbour in five "
    "to eight letters, two in more (Damerau 1964); words of fewer letters and numbers must be the same.",
    "one letter": "In the whole value one letter left out, added or exchanged with its neighbour, also in a short word; "
    "numbers, and words of one or two letters in both, must be the same.",
    "sound": "The same sound of each word (Russell and Odell 1918), and at most one in four letters different.",
}
BLOCK = 4
STRIP = 1000
MOST_EDITS = 3
SHORTEST = 6


@dataclass(frozen=True)
class Group:
    """Values with their cells, most first, and the form proposed for all of them."""

    preferred: str
    members: tuple[tuple[str, int], ...]
    method: str


def group(values: Mapping[str, int], method: str) -> list[Group]:
    """The groups of two and more values that a method joins, largest (in cells to change) first.

    Edit distance joins pairs into chains; a group is made of its most frequent value and what is near to it, so that no
    member is two steps away from the preferred form.
    """
    result: Iterable[dict[str, int]]
    if method == "edit distance":
        result = _near(values, _ends, _edits)
    elif method == "one letter":
        result = _near(values, _ends, _one_letter)
    elif method == "sound":
        result = _near(values, lambda text: (sound(text),), _sounds_alike)
    else:
        result = _same(values, {"normalised key": normalised, "n-grams": ngrams, "spelling": spelling}[method])
    groups = [Group(preferred(members), tuple(_ordered(members)), method) for members in result if len(members) > 1]
    return sorted(
        groups,
        key=lambda each_group: (
            -sum(n for _, n in each_group.members) + each_group.members[0][1],
            each_group.preferred,
        ),
    )


def preferred(members: Mapping[str, int]) -> str:
    """The most frequent member; among equals the one written with capitals at the beginning of words only, without
    outer spaces, with more marks of its own, first in the alphabet."""

    def rank(value: str) -> tuple[int, bool, bool, int, str]:
        return (-members[value], value != value.strip(), value.isupper() or value.islower(), -len(value), value)

    return min(members, key=rank)


def _ordered(members: Mapping[str, int]) -> list[tuple[str, int]]:
    return sorted(members.items(), key=lambda pair: (-pair[1], pair[0]))


def _same(values: Mapping[str, int], key: Callable[[str], Hashable]) -> Iterable[dict[str, int]]:
    met: dict[Hashable, dict[str, int]] = defaultdict(dict)
    for value, n in values.items():
        new_key = key(value)
        if new_key:
            met[new_key][value] = n
    return met.values()


def _ends(text: str) -> set[tuple[int, str]]:
    """The first letters, the last ones, and the outer ones: one or two edits leave one of them as it was."""
    return {(0, text[:BLOCK]), (1, text[-BLOCK:]), (2, text[: BLOCK - 1] + text[-BLOCK + 1 :])}


def _near(
    values: Mapping[str, int],
    keys: Callable[[str], Iterable[Hashable]],
    alike: Callable[[str, str], bool],
) -> list[dict[str, int]]:
    """Each value joins the most frequent one that it is near to; only values that share a key are compared."""
    plain = {value: folded(value) for value in values}
    blocks: dict[Hashable, list[str]] = defaultdict(list)
    for value, text in plain.items():
        for key in keys(text) if text else ():
            blocks[key].append(value)
    near: dict[str, set[str]] = defaultdict(set)
    for block in blocks.values():
        for number, other in _few_edits([plain[value] for value in block]):
            if alike(plain[block[number]], plain[block[other]]):
                near[block[number]].add(block[other])
                near[block[other]].add(block[number])
    heads: dict[str, str] = {}
    groups: list[dict[str, int]] = []
    for value, _ in _ordered(values):
        if value in heads or value not in near:
            continue
        members = {other for other in near[value] if other not in heads} | {value}
        heads |= dict.fromkeys(members, value)
        groups.append({member: values[member] for member in members})
    return groups


def _few_edits(texts: Sequence[str]) -> Iterator[tuple[int, int]]:
    """The pairs of texts within a few edits of each other, compared all at once in strips."""
    for first in range(0, len(texts), STRIP):
        strip = texts[first : first + STRIP]
        edits = cdist(
            strip,
            texts,
            scorer=DamerauLevenshtein.distance,
            score_cutoff=MOST_EDITS,
            dtype=np.uint16,
            workers=2 if len(texts) > STRIP else 1,
        )
        rows, columns = np.nonzero(edits <= MOST_EDITS)
        after = columns > rows + first
        yield from zip((rows[after] + first).tolist(), columns[after].tolist(), strict=True)


def _edits(one: str, other: str) -> bool:
    if abs(len(one) - len(other)) > 2 or numbers(one) != numbers(other):
        return False
    left, right = one.split(), other.split()
    if len(left) == len(right):
        return all(_within(a, b) for a, b in zip(left, right, strict=True)) and _same_short_words(one, other)
    return _within(one, other) and _same_short_words(one, other)


def _one_letter(one: str, other: str) -> bool:
    left, right = one.split(), other.split()
    if min(len(one), len(other)) < SHORTEST or len(left) != len(right) or numbers(one) != numbers(other):
        return False
    changed = [pair for pair in zip(left, right, strict=True) if pair[0] != pair[1]]
    return not changed or (
        len(changed) == 1
        and not replaced(one, other)
        and max(map(len, changed[0])) > 2
        and DamerauLevenshtein.distance(one, other, score_cutoff=1) == 1
    )


def replaced(one: str, other: str) -> bool:
    """Whether other letters stand in place of some, as many: so differ also names of different things."""
    return len(one) == len(other) and sorted(one) != sorted(other)


def _within(one: str, other: str) -> bool:
    longest = max(len(one), len(other))
    allowed = 0 if longest < 5 else 1 if longest <= 8 else 2
    return DamerauLevenshtein.distance(one, other, score_cutoff=allowed) <= allowed


def _same_short_words(one: str, other: str) -> bool:
    """Initials and other words of one or two letters tell values apart (R. Aldous, P. Aldous)."""
    short = [[word for word in text.split() if len(word) <= 2] for text in (one, other)]
    first = [text[:1] for text in (one, other)]
    return (short[0] == short[1] or len(one.split()) != len(other.split())) and (
        first[0] == first[1] or max(len(one), len(other)) >= SHORTEST
    )


def _sounds_alike(one: str, other: str) -> bool:
    if numbers(one) != numbers(other):
        return False
    longest = max(len(one), len(other))
    return DamerauLevenshtein.distance(one, other) <= longest / 4 and _same_short_words(one, other)
