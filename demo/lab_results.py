"""Results of two laboratories in layouts of their own, with their control totals.

Lab North: semicolons, decimal commas, Latin-1, year and month apart, analyte codes. Lab Harbour: a workbook, units in
the value, detection limits, mg and µg, sample numbers that a spreadsheet turned into 2.4E+07.
"""

from __future__ import annotations

import random
from datetime import date
from decimal import Decimal
from pathlib import Path

import xlsxwriter

from demo.spoil import Row, Spoiler, Truth

# analyte: code of Lab North, unit, usual value
ANALYTES = {
    "Nitrate": ("NO3", "mg/L", 5.2),
    "Phosphate": ("PO4", "mg/L", 0.18),
    "Ammonium": ("NH4", "mg/L", 0.09),
    "Chloride": ("CL", "mg/L", 21.0),
    "Chlorophyll a": ("CHLA", "µg/L", 7.5),
}
_VARIANTS = {
    "Nitrate": ("nitrate", "Nitrat", "NITRATE "),
    "Phosphate": ("Phosphat", "phosphate"),
    "Ammonium": ("ammonium", "Amonium"),
    "Chloride": ("chloride",),
    "Chlorophyll a": ("chlorophyll-a", "Chlorophyl a"),
}
_PEOPLE = ("J. Grün", "M. Voß", "A. Lindqvist", "É. Moreau")
NORTH_HEADS = ("Proben-Nr", "Jahr", "Monat", "Tag", "Analyt", "Messwert", "Einheit", "Labor", "Bearbeitung")
HARBOUR_HEADS = ("Sample no.", "Received", "Analyte", "Result", "Laboratory", "Analyst", "Remark")


def _clean(rng: random.Random, year: int, month: int, count: int, first: int) -> list[Row]:
    rows = []
    for index in range(count):
        analyte = rng.choice(list(ANALYTES))
        usual = ANALYTES[analyte][2]
        value = max(usual * 0.05, rng.gauss(usual, usual * 0.3))
        rows.append({
            "sample": str(24_000_000 + month * 10_000 + first + index),
            "year": str(year),
            "month": str(month),
            "day": str(1 + index * 28 // count),
            "analyte": analyte,
            "value": f"{value:.2f}" if usual > 1 else f"{value:.3f}",
            "unit": ANALYTES[analyte][1],
            "person": rng.choice(_PEOPLE),
        })  # fmt: skip
    return rows


def write_north(
    folder: Path, seed: int, year: int, month: int, records: int = 600, renamed: bool = False
) -> list[Path]:
    """Write the text file of Lab North, its control totals and its truth.

    `renamed`: the laboratory has a new program that heads two columns in another way.
    """
    rng = random.Random(f"{seed} north {year} {month}")
    rows, truth = _clean(rng, year, month, records, 0), Truth()
    for row in rows:
        row["laboratory"] = "Lab North"
        row["code"] = ANALYTES[row["analyte"]][0]
    spoiler = Spoiler(rng, rows, truth)
    spoiler.spoil("laboratory", "variant", 0.06, lambda v: rng.choice(("Lab. North", "LAB NORTH", "Labor Nord")))
    spoiler.spoil("code", "variant", 0.04, lambda v: v.lower())
    stated = sum((Decimal(row["value"]) for row in rows), Decimal())
    spoiler.spoil("value", "missing", 0.02, lambda v: rng.choice(("-", "n/a")))
    keys = ("sample", "year", "month", "day", "code", "value", "unit", "laboratory", "person")
    heads = list(NORTH_HEADS)
    if renamed:
        heads[4], heads[5] = "Parameter", "Ergebnis"
    lines = [";".join(heads)]
    for row in rows:
        cells = [row[key].replace(".", ",") if key == "value" else row[key] for key in keys]
        lines.append(";".join(cells))
    broken = rng.randrange(20, len(lines) - 20)
    lines[broken] = lines[broken].replace(";", ",", 3)
    truth.add(broken - 1, "", "broken line", "", lines[broken])
    path = folder / f"lab-north-{year}-{month:02d}.csv"
    path.write_bytes(("\r\n".join(lines) + "\r\n").encode("latin-1", "replace"))
    totals = folder / f"lab-north-{year}-{month:02d}.totals.txt"
    totals.write_text(f"records;{len(rows)}\nsum of {heads[5]};{str(stated).replace('.', ',')}\n")
    truth.write(folder / f"{path.stem}.truth.json")
    return [path, totals]


def write_harbour(folder: Path, seed: int, year: int, month: int, records: int = 400) -> Path:
    """Write the workbook of Lab Harbour with its truth: a title, a sheet of remarks, dates as cells."""
    rng = random.Random(f"{seed} harbour {year} {month}")
    rows, truth = _clean(rng, year, month, records, 5_000), Truth()
    for row in rows:
        row["laboratory"], row["remark"] = "Lab Harbour", ""
        row["result"] = f"{row['value']} {row['unit']}"
    spoiler = Spoiler(rng, rows, truth)
    spoiler.spoil("result", "detection limit", 0.05, lambda v: f"<0.05 {v.split()[1]}")
    spoiler.spoil("result", "milligram for microgram", 0.03, _other_unit)
    spoiler.spoil("analyte", "variant", 0.08, lambda v: rng.choice(_VARIANTS[v]))
    spoiler.spoil("laboratory", "variant", 0.05, lambda v: rng.choice(("Harbour Lab", "Lab harbour", "Lab  Harbour")))
    for _ in range(max(1, records // 100)):
        index = rng.randrange(len(rows) - 1)
        rows.insert(index + 1, dict(rows[index]))
        truth.add(index + 1, "", "duplicate record", "", "")
    path = folder / f"lab-harbour-{year}-{month:02d}.xlsx"
    _write_workbook(path, rows, year, month, rng, truth)
    truth.write(folder / f"{path.stem}.truth.json")
    return path


def _other_unit(result: str) -> str | None:
    value, unit = result.split()
    return f"{float(value) / 1000:.5f} mg/L" if unit == "µg/L" else f"{float(value) * 1000:.0f} µg/L"


def _write_workbook(path: Path, rows: list[Row], year: int, month: int, rng: random.Random, truth: Truth) -> None:
    book = xlsxwriter.Workbook(path)
    day = book.add_format({"num_format": "dd/mm/yyyy"})
    rounded = book.add_format({"num_format": "0.0E+00"})
    sheet = book.add_worksheet("Results")
    sheet.write(0, 0, f"Lab Harbour, results of {year}-{month:02d}")
    sheet.write_row(2, 0, HARBOUR_HEADS)
    for number, row in enumerate(rows):
        at = number + 3
        if rng.random() < 0.06:
            sheet.write_number(at, 0, int(row["sample"]), rounded)
            truth.add(number, "sample", "scientific notation", row["sample"], "2.4E+07")
        else:
            sheet.write_string(at, 0, row["sample"])
        date_ = date(int(row["year"]), int(row["month"]), int(row["day"]))
        sheet.write_datetime(at, 1, date_, day)
        sheet.write_row(at, 2, [row["analyte"], row["result"], row["laboratory"], row["person"]])
        if rng.random() < 0.02:
            sheet.write_formula(at, 6, "=VLOOKUP(A1,Codes!A:B,2,FALSE)", None, "#N/A")
            truth.add(number, "remark", "error cell", "", "#N/A")
    book.close()
