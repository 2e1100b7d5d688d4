"""Tables of the worlds as files, with faults whose truth is known: up to three a column, some of whole records."""

from __future__ import annotations

import csv
import random
from collections import Counter
from pathlib import Path

from bench.worlds.fields import Field
from bench.worlds.scenes import WORLDS
from bench.worlds.spoiling import context, dates, numbers, records, texts
from bench.worlds.spoiling.base import Fault
from demo.spoil import Truth

LOST = "lost"  # in the truth instead of the clean cell, where nothing can tell it any more
OPAQUE = "told from no good value"
COMPUTED = {  # from so many columns before
    "product that does not hold": 2, "sum that does not add up": 3, "dates of a record out of order": 1,
}  # fmt: skip


def possible(rng: random.Random, column: Field, columns: list[Field]) -> list[Fault]:
    """The faults that a column can have, alone or among the others of its table."""
    if column.name == "departure":
        return [Fault("dates of a record out of order", dates.earlier(column), is_lost=True)]
    if column.name == "total":
        return [Fault("product that does not hold", numbers.other_number, is_lost=True)]
    if column.name == "paid":
        return [Fault("sum that does not add up", numbers.other_number, is_lost=True)]
    if column.sort in context.FAULTS:
        return context.FAULTS[column.sort](rng, column, columns)
    if column.sort == "truth":
        return texts.faults(rng, column)
    if column.sort in ("number", "whole"):
        return [texts.missing(rng), *numbers.faults(rng, column)]
    if column.sort in ("date", "moment"):
        return [texts.missing(rng), *dates.faults(rng, column)]
    return [texts.missing(rng), *texts.faults(rng, column)]


def spoil(rng: random.Random, columns: list[Field], rows: int, truth: Truth) -> None:
    """Spoil a table: some records first, then cells of the others, alone or in runs, never a cell twice."""
    of_cells = {column.name: possible(rng, column, columns) for column in columns if not column.is_hard}
    of_records = records.faults(columns)
    whole: set[int] = set()
    for kind, how in rng.sample(of_records, min(len(of_records), rng.choice((0, 1, 2)))):
        for row in rng.sample(range(1, rows), max(3, int(rows * rng.choice((0.002, 0.005, 0.01))))):
            if whole & {row, row - 1} or (cells := how(rng, columns, row)) is None:
                continue
            for at, dirty in cells.items():
                clean, columns[at].cells[row] = columns[at].cells[row], dirty
                truth.add(row, columns[at].name, kind, clean if kind == "swapped columns" else LOST, dirty)
            whole |= {row, row - 1} if kind in records.IN_PAIRS else {row}
            if kind in records.IN_PAIRS:
                for column in columns:
                    truth.add(row - 1, column.name, records.TWIN, column.cells[row - 1], column.cells[row - 1])
    for column in columns:
        if column.name in of_cells:
            _spoil_column(rng, column, of_cells[column.name], rows, set(whole), truth)
    _set_aside_opaque(columns, truth)


def _set_aside_opaque(columns: list[Field], truth: Truth) -> None:
    """What no good value tells: a result (or a later date) beside which what it comes from is spoiled too, and cells of categories and names in each
    other's place of which one occurs less than three times where it belongs.
    """
    names = [column.name for column in columns]
    spoiled = {(entry["row"], entry["column"]) for entry in truth.entries}
    known = {column.name: Counter(column.cells) for column in columns if column.sort in ("name", "category")}
    rare = {
        entry["row"] for entry in truth.entries
        if entry["kind"] == "swapped columns" and _is_rare(known, entry)
    }  # fmt: skip
    for entry in truth.entries:
        if size := COMPUTED.get(str(entry["kind"])):
            at = names.index(str(entry["column"]))
            if any((entry["row"], name) in spoiled for name in names[at - size : at]):
                entry["kind"] = OPAQUE
        elif entry["kind"] == "swapped columns" and entry["row"] in rare:
            entry["kind"] = OPAQUE


def _is_rare(known: dict[str, Counter[str]], entry: dict[str, object]) -> bool:
    column = known.get(str(entry["column"]))
    return column is not None and column[str(entry["clean"])] < 3


def _spoil_column(
    rng: random.Random, column: Field, faults: list[Fault], rows: int, touched: set[int], truth: Truth
) -> None:
    for fault in rng.sample(faults, min(len(faults), rng.choice((0, 1, 1, 2, 2, 3)))):
        cells = max(3, int(rows * rng.choice((0.002, 0.005, 0.01, 0.02, 0.05))))
        start = rng.randrange(rows)
        in_runs = rng.random() < 0.2
        places = [(start + at) % rows for at in range(cells * 3)] if in_runs else rng.sample(range(rows), rows)
        done = 0
        for row in places:
            if done >= cells:
                break
            clean = column.cells[row]
            if row in touched:
                continue
            dirty = fault.spoil_at(rng, row) if fault.spoil_at else fault.spoil(rng, clean)
            if dirty is None or dirty == clean:
                continue
            column.cells[row] = dirty
            touched.add(row)
            done += 1
            truth.add(row, column.name, fault.kind, LOST if fault.is_lost else clean, dirty)
            if fault.twin and (twin := fault.twin(row)) not in touched:
                touched.add(twin)
                truth.add(twin, column.name, records.TWIN, column.cells[twin], column.cells[twin])


def write(folder: Path, world: str, seed: int, rows: int, spoiled: bool) -> tuple[Path, Truth, list[Field]]:
    """A table of a world as a file, with what was spoiled in it, and its columns as they stand in the file."""
    rng = random.Random(f"{world} {seed} {spoiled}")
    columns = WORLDS[world](rng, rows)
    truth = Truth()
    if spoiled:
        spoil(rng, columns, rows, truth)
    path = folder / f"{world}-{seed}{'' if spoiled else '-clean'}.csv"
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow([column.name for column in columns])
        writer.writerows(zip(*(column.cells for column in columns), strict=True))
    return path, truth, columns
