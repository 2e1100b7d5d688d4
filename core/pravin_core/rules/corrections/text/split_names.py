"""Split the names of persons into their parts."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from sqlglot import exp

from pravin_core.rules.base import Corrected, Example, text_of
from pravin_core.rules.shared_fields import PartsOfColumn
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column

PARTS = ("title", "given", "middle", "family", "suffix")
_TITLE = r"(?:(?i:dr|prof|mr|mrs|ms|miss|sir|ing|dipl-ing|m|mme|herr|frau)\.? )"
_PARTICLE = r"(?:(?i:van|von|de|der|den|del|della|di|da|dos|du|la|le|el|al|bin|ibn|ten|ter|zu|zur|af|av|st\.?|o'|mac) )"
_WORD = r"[\p{L}][\p{L}\p{M}'’.-]*"
_SUFFIX = r"(?:,? ((?i:jr|sr|ii|iii|iv|phd|md|msc|ma)\.?))?"
# given names first: title, given name, names between, particles with the family name, suffix
_GIVEN_FIRST = rf"({_TITLE}*)({_WORD})((?: {_WORD})*?) ({_PARTICLE}*{_WORD}){_SUFFIX}"
# family name first, before a comma
_FAMILY_FIRST = rf"({_PARTICLE}*{_WORD}(?: {_WORD})*), ({_TITLE}*)({_WORD})((?: {_WORD})*)"


class SplitNames(PartsOfColumn):
    """Rules: "Given Middle Family", with titles before and suffixes behind, particles (van, de, …) belonging to the
    family name; or "Family, Title Given Middle". What fits neither, such as one word alone, is not understood: its
    parts stay missing, or the record is quarantined.
    """

    title = "Split person names"
    group = "Text"
    about = "Splits names of persons into title, given name, middle names, family name and suffix."
    synonyms = (
        "split names of persons", "first name", "last name", "surname", "given name", "family name", "title", "parse name", "person",
        "full name",
    )  # fmt: skip
    examples = (
        Example(
            rule={"column": "a"},
            before={"a": ["Dr. Rosa Maria van der Meer", "Tessen, R.", "É. Moreau Jr.", "harbour", None]},
            after={
                "a": ["Dr. Rosa Maria van der Meer", "Tessen, R.", "É. Moreau Jr.", "harbour", None],
                "a_title": ["Dr.", None, None, None, None],
                "a_given": ["Rosa", "R.", "É.", None, None],
                "a_middle": ["Maria", None, None, None, None],
                "a_family": ["van der Meer", "Tessen", "Moreau", None, None],
                "a_suffix": [None, None, "Jr.", None, None],
            },
        ),
    )

    kind: Literal["split-names"] = "split-names"
    parts = PARTS
    said_as = ("names", "title, given, middle and family name and suffix")

    def derive(self, table: Sequence[Column]) -> list[Corrected]:
        old = template("single_spaces(:c)", c=text_of(self.column, table))
        places = {"title": (2, 1), "given": (3, 2), "middle": (4, 3), "family": (1, 4), "suffix": (0, 5)}
        whole = {
            "f": exp.Literal.string(_FAMILY_FIRST), "g": exp.Literal.string(_GIVEN_FIRST), "c": old,
        }  # fmt: skip
        lost = template(":c IS NOT NULL AND NOT regexp_full_match(:c, :f) AND NOT regexp_full_match(:c, :g)", **whole)
        results = []
        for part in PARTS:
            in_family_first, in_given_first = (exp.Literal.number(n) for n in places[part])
            first: exp.Expr = template(
                "regexp_extract(:c, :f, :n)", n=in_family_first, c=old, f=exp.Literal.string(f"^{_FAMILY_FIRST}$")
            )
            if part == "suffix":
                first = exp.Literal.string("")
            value = template(
                "nullif(trim(CASE WHEN regexp_full_match(:c, :f) THEN :first "
                "WHEN regexp_full_match(:c, :g) THEN :given_first END), '')",
                first=first, **whole,
                given_first=template(
                    "regexp_extract(:c, :g, :n)", n=in_given_first, c=old, g=exp.Literal.string(f"^{_GIVEN_FIRST}$")
                ),
            )  # fmt: skip
            results.append(
                Corrected(value, unconverted=lost if part == "family" else None, source=text_of(self.column, table))
            )
        return results


KIND = SplitNames
