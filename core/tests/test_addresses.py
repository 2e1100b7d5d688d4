"""Addresses as the post of a dozen countries asks for them; what is not understood says so."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from test_rules import book

from conftest import query
from pravin_core.intake.snapshot import Snapshot
from pravin_core.runs.runner import result_parts, run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]
Parts = tuple[str | None, ...]  # street, number, postcode, town, country, region

ADDRESSES: list[tuple[str, Parts]] = [
    ("Lange Gasse 12, 10115 Weirstadt", ("Lange Gasse", "12", "10115", "Weirstadt", None, None)),  # Germany
    ("Am Wehr 3a, D-10115 Weirstadt, Deutschland", ("Am Wehr", "3a", "D-10115", "Weirstadt", "Deutschland", None)),
    ("Hauptplatz 1/4, 1010 Merau, Austria", ("Hauptplatz", "1/4", "1010", "Merau", "Austria", None)),
    ("Seeweg 7, CH-8001 Alderau", ("Seeweg", "7", "CH-8001", "Alderau", None, None)),  # Switzerland
    ("12 rue du Moulin, 75002 Aulnes", ("rue du Moulin", "12", "75002", "Aulnes", None, None)),  # France
    ("12 bis, rue du Moulin, 75002 Aulnes", ("rue du Moulin", "12 bis", "75002", "Aulnes", None, None)),
    ("Molenstraat 5, 1234 AB Elzen", ("Molenstraat", "5", "1234 AB", "Elzen", None, None)),  # Netherlands
    ("Molenstraat 5, 1234AB Elzen, Nederland", ("Molenstraat", "5", "1234AB", "Elzen", "Nederland", None)),
    ("7 Quay Row, Harbour MB1 2CD", ("Quay Row", "7", "MB1 2CD", "Harbour", None, None)),  # United Kingdom
    ("7 Quay Row, Harbour, MB1 2CD, England", ("Quay Row", "7", "MB1 2CD", "Harbour", "England", None)),
    ("12 Mill St, Weirton, IL 62704", ("Mill St", "12", "62704", "Weirton", None, "IL")),  # United States
    ("350 5th Ave, New Harbour, NY 10118-0110, USA", ("5th Ave", "350", "10118-0110", "New Harbour", "USA", "NY")),
    ("12 Maple St, Alder Bay, ON M5V 2T6", ("Maple St", "12", "M5V 2T6", "Alder Bay", None, "ON")),  # Canada
    ("12 Weir St, Merrow NSW 2000, Australia", ("Weir St", "12", "2000", "Merrow", "Australia", "NSW")),
    ("Via Mulino 12, 00184 Ontano RM", ("Via Mulino", "12", "00184", "Ontano", None, "RM")),  # Italy
    ("Via Mulino, 12, 00184 Ontano (RM), Italia", ("Via Mulino", "12", "00184", "Ontano", "Italia", "RM")),
    ("Calle Mayor, 5, 28013 Alisos", ("Calle Mayor", "5", "28013", "Alisos", None, None)),  # Spain
    ("Rua Alta, 100, Porto Novo - SP, 01305-000", ("Rua Alta", "100", "01305-000", "Porto Novo", None, "SP")),  # Brazil
    ("ul. Olszowa 5, 00-238 Jaz", ("ul. Olszowa", "5", "00-238", "Jaz", None, None)),  # Poland
    ("Storgatan 5, 114 55 Alholm", ("Storgatan", "5", "114 55", "Alholm", None, None)),  # Sweden
    ("Rua Nova 5, 1000-205 Amieiro", ("Rua Nova", "5", "1000-205", "Amieiro", None, None)),  # Portugal
    ("12 Mill Road, Alderpur 560001", ("Mill Road", "12", "560001", "Alderpur", None, None)),  # India
]
NOT_UNDERSTOOD = [
    "PO Box 12, Weirton", "Weirton", "Mill Lane, Weirton", "12 Mill St, Apt 4B, Weirton, IL 62704", "c/o Moss", "1-2-3 4-5-6",
    "12 High Street, Ashton, Alder County, MB1 2CD",
]  # fmt: skip


def split(table: Table, texts: list[str], folder: Path) -> list[Parts]:
    rules = book({"kind": "split-addresses", "column": "a", "region": True, "unconverted": "quarantine"})
    run_rulebook(table({"a": list(texts)}), rules, folder / "r")
    names = "a_street, a_number, a_postcode, a_town, a_country, a_region, __state"
    return query(result_parts(folder / "r"), f"SELECT {names} FROM t ORDER BY __record")


def test_addresses_of_a_dozen_countries(table: Table, tmp_path: Path) -> None:
    results = split(table, [text for text, _ in ADDRESSES], tmp_path)
    wrong = {
        text: result[:6] for (text, expected), result in zip(ADDRESSES, results, strict=True) if result[:6] != expected
    }
    assert wrong == {}
    assert {result[6] for result in results} == {"ready"}


@pytest.mark.parametrize("text", NOT_UNDERSTOOD)
def test_what_is_not_understood_is_quarantined_and_not_guessed(text: str, table: Table, tmp_path: Path) -> None:
    assert split(table, [text], tmp_path) == [(None, None, None, None, None, None, "quarantined")]


def test_without_the_region_the_columns_are_those_of_before(table: Table, tmp_path: Path) -> None:
    rules = book({"kind": "split-addresses", "column": "a"})
    outcome = run_rulebook(table({"a": ["12 Mill St, Weirton, IL 62704"]}), rules, tmp_path / "r")
    assert [name for name, _ in outcome.columns] == ["a", "a_street", "a_number", "a_postcode", "a_town", "a_country"]
