"""Conditions in which and and or stand beside each other without brackets: what is read, and what may be meant."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import pairwise

from sqlglot.dialects.duckdb import DuckDB
from sqlglot.errors import SqlglotError
from sqlglot.tokens import Token, TokenType

_ENDS = {TokenType.COMMA, TokenType.CASE, TokenType.WHEN, TokenType.THEN, TokenType.ELSE, TokenType.END}
_JOINING = (TokenType.AND, TokenType.OR)


@dataclass
class _Stretch:
    """Tokens within the same brackets, and which of them join conditions."""

    tokens: list[Token] = field(default_factory=list)
    joining: list[int] = field(default_factory=list)
    awaits_and: bool = False  # the one of between

    @property
    def mixes(self) -> bool:
        return {self.tokens[at].token_type for at in self.joining} == set(_JOINING)

    def bracketed(self, inner: TokenType) -> list[tuple[int, str]]:
        """Brackets around each run of conditions joined by `inner`, by the character they stand at."""
        outer = [at for at in self.joining if self.tokens[at].token_type != inner]
        bounds = [-1, *outer, len(self.tokens)]
        marks: list[tuple[int, str]] = []
        for begin, end in pairwise(bounds):
            if any(begin < at < end for at in self.joining):
                marks += [(self.tokens[begin + 1].start, "("), (self.tokens[end - 1].end + 1, ")")]
        return marks


def readings(text: str) -> tuple[str, ...]:
    """The formula as it is read, with brackets (and goes before or), and as it may be meant instead; nothing when it does not mix
    them, or cannot be read.
    """
    try:
        tokens = DuckDB().tokenize(text)
    except SqlglotError:
        return ()
    mixing = [stretch for stretch in _stretches(tokens) if stretch.mixes]
    if not mixing:
        return ()
    return tuple(_put(text, [mark for stretch in mixing for mark in stretch.bracketed(inner)]) for inner in _JOINING)


def _stretches(tokens: list[Token]) -> list[_Stretch]:
    open_, closed = [_Stretch()], []
    for token in tokens:
        kind = token.token_type
        if kind == TokenType.R_PAREN and len(open_) > 1:
            closed.append(open_.pop())
        elif kind in _ENDS:
            closed.append(open_.pop())
            open_.append(_Stretch())
            continue
        here = open_[-1]
        if kind in _JOINING and not (kind == TokenType.AND and here.awaits_and):
            here.joining.append(len(here.tokens))
        here.awaits_and = kind == TokenType.BETWEEN or (here.awaits_and and kind != TokenType.AND)
        here.tokens.append(token)
        if kind == TokenType.L_PAREN:
            open_.append(_Stretch())
    return closed + open_


def _put(text: str, marks: list[tuple[int, str]]) -> str:
    for at, mark in sorted(marks, reverse=True):
        text = text[:at] + mark + text[at:]
    return text
