"""Keys under which spellings of the same value meet."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

_CODES = {letter: code for code, letters in {"1": "bfpv", "2": "cgjkqsxz", "3": "dt", "4": "l", "5": "mn", "6": "r"}.items()
          for letter in letters}  # fmt: skip
_WORDS = re.compile(r"[^\W_]+")
_SIGNS = re.compile(r"[+#%<>*=]|(?<![^\W_])-|-(?![^\W_])")
_FOLDED = str.maketrans({"ß": "ss", "ø": "o", "Ø": "O", "æ": "ae", "Æ": "AE", "œ": "oe", "đ": "d", "ł": "l", "þ": "th"})


@lru_cache(maxsize=100_000)
def folded(value: str) -> str:
    """Without case, accents and marks; words divided by one space."""
    plain = unicodedata.normalize("NFKD", value.translate(_FOLDED))
    plain = "".join(c for c in plain if not unicodedata.combining(c)).casefold()
    return " ".join(_WORDS.findall(plain))


def normalised(value: str) -> str:
    """The different words of the folded value in alphabetical order."""
    return " ".join(sorted(set(folded(value).split())))


def spelling(value: str) -> tuple[str, tuple[str, ...], tuple[str, ...]]:
    """What spellings that can hardly mean something else share: letters in order, numbers, and signs that tell values
    apart (A+ and A-)."""
    return folded(value).replace(" ", ""), numbers(value), tuple(_SIGNS.findall(value))


def ngrams(value: str, size: int = 2) -> str:
    """The different runs of `size` characters of the folded value without its spaces, in order."""
    plain = folded(value).replace(" ", "")
    if len(plain) <= size:
        return plain
    return "".join(sorted({plain[i : i + size] for i in range(len(plain) - size + 1)}))


def sound(value: str) -> str:
    """The sound of each word: its first letter and three digits (Russell and Odell's code of 1918, as the United States
    national archives define it); numbers stay as they are."""
    return " ".join(_sound(word) for word in folded(value).split())


def _sound(word: str) -> str:
    if not word.isascii() or not word.isalpha():
        return word
    code, last = word[0], _CODES.get(word[0], "")
    for letter in word[1:]:
        digit = _CODES.get(letter, "")
        if digit and digit != last:
            code += digit
        if letter not in "hw":
            last = digit
    return (code + "000")[:4]


def numbers(value: str) -> tuple[str, ...]:
    """The numbers in a value: spellings of the same value share them."""
    return tuple(re.findall(r"\d+", value))
