"""Split postal addresses into their parts."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Corrected, Example, text_of
from pravin_core.rules.shared_fields import PartsOfColumn
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column

PARTS = ("street", "number", "postcode", "town", "country")
REGION = "region"
_NUMBER = r"([0-9]+ ?(?:[a-zA-Z]|bis|ter|quater)?(?:[-/][0-9]+[a-zA-Z]?)?)"
_STREET = r"((?:[0-9]+(?:st|nd|rd|th) )?[^,0-9]*[^,0-9 ])"
_CODE = r"((?:[A-Z]{1,2}-)?(?:[0-9]{3} [0-9]{2}|[0-9]{2}-[0-9]{3}|[0-9]{3,6}(?:-[0-9]{2,4})?)(?: ?[A-Z]{2})?)"
_LETTERED = r"([A-Z]{1,2}[0-9][0-9A-Z]? [0-9][A-Z]{2})"
_ALTERNATING = r"([A-Z][0-9][A-Z] ?[0-9][A-Z][0-9])"
_TOWN = r"([^,0-9]*[^,0-9 ])"
_STATE = r"([A-Z]{2,3})"
_COUNTRY = r"(?:, ?([^,0-9]+))?"
_BOX = (
    r"^(?:p\.? ?o\.? ?box|post ?box|postfach|postbus|b\.?p\.?|apartado|casella postale|boîte postale|caixa postal|box) "
)
# each form with the places of street, number, postcode, town, country and region among its groups (0: none)
_FORMS = (
    (rf"{_NUMBER},? {_STREET}, ?{_TOWN},? {_STATE},? ([0-9]{{4,5}}(?:-[0-9]{{4}})?){_COUNTRY}", (2, 1, 5, 3, 6, 4)),
    (rf"{_NUMBER},? {_STREET}, ?{_TOWN},? {_STATE},? {_ALTERNATING}{_COUNTRY}", (2, 1, 5, 3, 6, 4)),
    (rf"{_STREET},? {_NUMBER}, ?{_TOWN} ?[-–/] ?{_STATE}, ?([0-9]{{5}}-?[0-9]{{3}}){_COUNTRY}", (1, 2, 5, 3, 6, 4)),
    (rf"{_STREET},? {_NUMBER}, ?{_CODE} {_TOWN} \(?([A-Z]{{2}})\)?{_COUNTRY}", (1, 2, 3, 4, 6, 5)),
    (rf"{_STREET},? {_NUMBER}, ?{_CODE} {_TOWN}{_COUNTRY}", (1, 2, 3, 4, 5, 0)),
    (rf"{_NUMBER},? {_STREET}, ?{_CODE} {_TOWN}{_COUNTRY}", (2, 1, 3, 4, 5, 0)),
    (rf"{_NUMBER},? {_STREET}, ?{_TOWN},? {_LETTERED}{_COUNTRY}", (2, 1, 4, 3, 5, 0)),
    (rf"{_NUMBER},? {_STREET}, ?{_TOWN},? {_ALTERNATING}{_COUNTRY}", (2, 1, 4, 3, 5, 0)),
    (rf"{_NUMBER},? {_STREET}, ?{_TOWN},? {_CODE}{_COUNTRY}", (2, 1, 4, 3, 5, 0)),
    (rf"{_STREET},? {_NUMBER}, ?{_TOWN}{_COUNTRY}", (1, 2, 0, 3, 4, 0)),
    (rf"{_NUMBER},? {_STREET}, ?{_TOWN}{_COUNTRY}", (2, 1, 0, 3, 4, 0)),
)


class SplitAddresses(PartsOfColumn):
    """Forms tried in order, as the post of these countries asks for them: with a state or province between town and postcode
    (United States, Australia, Canada, Brazil) or behind the town (Italy); "Street 12, 4711 Town" (Germany, Austria, Switzerland,
    Netherlands, Spain, Poland, Sweden, Portugal); "12 Street, 4711 Town" (France); "12 Street, Town AB1 2CD" (United Kingdom);
    "12 Street, Town 4711"; without postcode. A country may follow. What fits none, such as a flat, a post box or a county written
    out, is not understood: its parts stay missing, or the record is quarantined.
    """

    title = "Split postal addresses"
    group = "Text"
    about = "Splits addresses written on one line into street, house number, postcode, town and country."
    synonyms = (
        "address", "street", "postcode", "zip", "zip code", "city", "town", "state", "country", "house number",
        "parse address",
    )  # fmt: skip
    examples = (
        Example(
            rule={"column": "a"},
            before={"a": ["Mill Lane 12b, 4711 Weirton, Merrow", "7 Quay Row, Harbour MB1 2CD", "PO box", None]},
            after={
                "a": ["Mill Lane 12b, 4711 Weirton, Merrow", "7 Quay Row, Harbour MB1 2CD", "PO box", None],
                "a_street": ["Mill Lane", "Quay Row", None, None],
                "a_number": ["12b", "7", None, None],
                "a_postcode": ["4711", "MB1 2CD", None, None],
                "a_town": ["Weirton", "Harbour", None, None],
                "a_country": ["Merrow", None, None, None],
            },
        ),
        Example(
            rule={"column": "a", "region": True, "unconverted": "quarantine"},
            before={"a": ["350 5th Ave, Harbour, NY 10118", "Rua Alta, 100, Weirton - SP, 01305-000", None]},
            after={
                "a": ["350 5th Ave, Harbour, NY 10118", "Rua Alta, 100, Weirton - SP, 01305-000", None],
                "a_street": ["5th Ave", "Rua Alta", None],
                "a_number": ["350", "100", None],
                "a_postcode": ["10118", "01305-000", None],
                "a_town": ["Harbour", "Weirton", None],
                "a_country": [None, None, None],
                "a_region": ["NY", "SP", None],
            },
        ),
    )

    kind: Literal["split-addresses"] = "split-addresses"
    region: bool = Field(default=False, title="State or province too", json_schema_extra={"widget": "switch"})
    parts = PARTS
    said_as = ("addresses", "street, number, postcode, town and country")

    def makes(self) -> tuple[str, ...]:
        return (*super().makes(), *([f"{self.column}_{REGION}"] if self.region else []))

    def derive(self, table: Sequence[Column]) -> list[Corrected]:
        old = template("single_spaces(:c)", c=text_of(self.column, table))
        box = template("regexp_matches(lower(:c), :p)", c=old, p=exp.Literal.string(_BOX))
        fits = [
            template("regexp_full_match(:c, :p) AND NOT :box", c=old, p=exp.Literal.string(form), box=box)
            for form, _ in _FORMS
        ]
        lost = template(":c IS NOT NULL", c=old)
        for item in fits:
            lost = template(":l AND NOT :f", l=lost, f=exp.paren(item))
        results = []
        for at, part in enumerate((*PARTS, REGION) if self.region else PARTS):
            value = exp.Case()
            for fit, (form, places) in zip(fits, _FORMS, strict=True):
                got: exp.Expr = exp.null()
                if places[at]:
                    got = template(
                        "regexp_extract(:c, :p, :n)",
                        c=old,
                        p=exp.Literal.string(f"^{form}$"),
                        n=exp.Literal.number(places[at]),
                    )
                value = value.when(fit, got)
            results.append(
                Corrected(
                    template("nullif(trim(:v), '')", v=value),
                    unconverted=lost if part == "town" else None,
                    source=text_of(self.column, table),
                )
            )
        return results


KIND = SplitAddresses
