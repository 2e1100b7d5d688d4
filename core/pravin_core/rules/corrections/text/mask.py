"""Make personal data unreadable."""

from __future__ import annotations

import hashlib
import hmac
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column

_BLOCK = 64  # bytes of a block of SHA-256


def _fake(text_: str, key: str) -> str:
    """A fake in plain Python, for the example: character i takes byte i of the hash (the first is 1, and so on around)."""
    drawn = hmac.new(key.encode(), text_.encode(), "sha256").digest()

    def other(character: str, byte: int) -> str:
        if not character.isalnum():
            return character
        first, count = ("0", 10) if character.isdigit() else ("A" if character.isupper() else "a", 26)
        return chr(ord(first) + byte % count)

    return "".join(other(character, drawn[at % 32]) for at, character in enumerate(text_, start=1))


class Mask(ColumnCorrection):
    """Shape: digits become 9 and letters a or A, so that forms can still be checked. Fake: each letter and digit is drawn from the
    hash, so that forms hold and the same value stays the same; different short values may meet. Hash: HMAC with SHA-256 (RFC 2104),
    the same value gives the same code under the same key, and nobody without the key can try values out.
    """

    title = "Mask or hash"
    group = "Text"
    about = "Hides values: by their shape, but for the last characters, altogether, or as a keyed hash that still joins tables."
    synonyms = (
        "anonymize", "anonymise", "pseudonymize", "redact", "hide", "hash", "sha256", "personal data", "gdpr",
        "privacy", "encrypt", "obfuscate", "fake", "scramble", "synthetic", "random",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "how": "shape"},
            before={"a": ["R. Tessen", "+40 555-0199", None]},
            after={"a": ["A. Aaaaaa", "+99 999-9999", None]},
        ),
        Example(
            rule={"columns": ["a"], "how": "last", "shown": 4},
            before={"a": ["4000123412341234", "12", None]},
            after={"a": ["************1234", "**", None]},
        ),
        Example(
            rule={"columns": ["a"], "how": "hash", "key": "merrow"},
            before={"a": ["a@b.example", None]},
            after={"a": [hmac.new(b"merrow", b"a@b.example", "sha256").hexdigest(), None]},
        ),
        Example(
            rule={"columns": ["a"], "how": "fake", "key": "merrow"},
            before={"a": ["R. Tessen", "+40 555-0199", None]},
            after={"a": [_fake("R. Tessen", "merrow"), _fake("+40 555-0199", "merrow"), None]},
        ),
        Example(rule={"columns": ["a"], "how": "all"}, before={"a": ["x", None]}, after={"a": ["***", None]}),
    )

    kind: Literal["mask"] = "mask"
    how: Literal["shape", "last", "all", "fake", "hash"] = Field(
        default="shape", title="How", json_schema_extra={"widget": "choice", "labels": {
            "shape": "by its shape", "last": "but for its last characters", "all": "altogether",
            "fake": "other letters and digits, the same for the same value", "hash": "keyed hash",
        }},
    )  # fmt: skip
    shown: int = Field(
        default=4,
        ge=0,
        le=20,
        title="Last characters shown",
        json_schema_extra={"widget": "whole", "shown_for": {"how": ["last"]}},
    )
    key: str = Field(
        default="", max_length=400, title="Key", json_schema_extra={"shown_for": {"how": ["hash", "fake"]}}
    )

    @model_validator(mode="after")
    def _keyed(self) -> Self:
        if self.how in ("hash", "fake") and not self.key:
            raise ValueError("give a key: without one anybody could try values out")
        return self

    def sentence(self) -> list[Part]:
        fields = {
            "shape": " by their shape.", "last": f" but for the last {self.shown} characters.", "all": " altogether.",
            "hash": " as a keyed hash.", "fake": " by other letters and digits.",
        }  # fmt: skip
        return [text("Hide the values of "), *self.meant(), text(fields[self.how])]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        old = as_text(cell, column.type)
        if self.how == "shape":
            return Corrected(template("letter_shape(:c)", c=old))
        if self.how == "all":
            return Corrected(template("CASE WHEN :c IS NOT NULL THEN '***' END", c=old))
        if self.how == "last":
            n = exp.Literal.number(self.shown)
            return Corrected(template(
                "CASE WHEN length(:c) > :n THEN repeat('*', CAST(length(:c) - :n AS INTEGER)) || right(:c, :n) "
                "ELSE repeat('*', CAST(length(:c) AS INTEGER)) END", c=old, n=n,
            ))  # fmt: skip
        outer, inner = _pads(self.key)
        hashed = template("keyed_hash(:c, :o, :i)", c=old, o=exp.Literal.string(outer), i=exp.Literal.string(inner))
        return Corrected(hashed if self.how == "hash" else template("disguised(:c, :h)", c=old, h=hashed))


def _pads(key: str) -> tuple[str, str]:
    """The outer and inner pad of a key in hexadecimal (RFC 2104)."""
    raw = key.encode()
    raw = (hashlib.sha256(raw).digest() if len(raw) > _BLOCK else raw).ljust(_BLOCK, b"\0")
    return bytes(b ^ 0x5C for b in raw).hex(), bytes(b ^ 0x36 for b in raw).hex()


KIND = Mask
