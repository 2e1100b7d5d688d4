"""A stored rule that is not valid, or not any more: kept as it is, shown as such, switched off in runs."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import Field, field_validator

from pravin_core.rules.base import Part, Rule, text


class UnusableRule(Rule):
    """In place of a rule that cannot be read; `stored` is what was kept, `problem` says what is wrong with it.

    It is always off. When `stored` can be read again (by another version, say), the rule is what it was.
    """

    title: ClassVar[str] = "Unusable rule"
    group: ClassVar[str] = ""
    about: ClassVar[str] = "A rule that cannot be read. It does nothing; repair or remove it."

    kind: Literal["unusable"] = "unusable"
    enabled: bool = Field(default=False, json_schema_extra={"widget": "none"})
    problem: str = Field(default="", max_length=2000, json_schema_extra={"widget": "none"})
    stored: dict[str, Any] = Field(default_factory=dict, json_schema_extra={"widget": "none"})

    @field_validator("enabled")
    @classmethod
    def _always_off(cls, _: bool) -> bool:
        return False

    def needs(self) -> tuple[str, ...]:
        return ()

    def sentence(self) -> list[Part]:
        return [text(f"This rule cannot be used and is off. {self.problem}".rstrip())]
