"""A supplier that answers: it looks up in its own books what is complained of in a file for it, and sends the file back filled in."""

from __future__ import annotations

import random
import shutil
from collections.abc import Mapping
from pathlib import Path

import openpyxl

from demo.field_samples import TEAMS, clean_rows
from demo.sites import clean_sites
from demo.spoil import Row

FOR_THEM, ANSWERED = "for the supplier", "answered"
CORRECT = "correct "
Book = Mapping[str, Row]  # what the supplier knows, by what stands in the key column of its file


def field_book(seed: int, year: int, first: int, last: int) -> dict[str, Row]:
    """What the field teams have in their books of some months, by sample."""
    sites = clean_sites(random.Random(seed))
    months = [(team, position, month) for position, team in enumerate(TEAMS) for month in range(first, last + 1)]
    rows = [row for team, position, month in months for row in clean_rows(seed, sites, team, position, year, month)]
    return {row["sample_id"]: row for row in rows}


def answer_all(folder: Path, book: Book, key: str) -> list[str]:
    """Answer every file that lies in a feed's folder for its supplier, and move it to those answered; returns the names."""
    place = folder / FOR_THEM
    done = place / ANSWERED
    names = []
    for path in sorted(place.glob("*.xlsx")) if place.exists() else []:
        if path.name.startswith("."):
            continue
        done.mkdir(exist_ok=True)
        part = folder / f"{path.name}.part"
        fill_in(path, part, book, key)
        part.rename(folder / path.name)
        shutil.move(path, done / path.name)
        names.append(path.name)
    return names


def fill_in(path: Path, target: Path, book: Book, key: str) -> int:
    """Fill in a file what the book says otherwise than was delivered; returns the number of cells."""
    workbook = openpyxl.load_workbook(path)
    filled = 0
    for sheet in workbook.worksheets:
        heads = {str(cell.value): cell.column for cell in sheet[1]}
        to_fill = {head.removeprefix(CORRECT): at for head, at in heads.items() if head.startswith(CORRECT)}
        for number in range(2, sheet.max_row + 1):
            known = book.get(str(sheet.cell(number, heads[key]).value))
            for name, at in to_fill.items() if known else ():
                value = known.get(name, "") if known else ""
                if value and value != sheet.cell(number, heads[name]).value:
                    sheet.cell(number, at).value = value
                    filled += 1
    with target.open("wb") as out:
        workbook.save(out)
    return filled
