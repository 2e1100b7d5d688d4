"""Tasks for by example: what stands in the columns, and what an analyst wants of every record. The first few wanted
results are told; all others must come out right.
"""

from __future__ import annotations

from typing import NamedTuple


class Task(NamedTuple):
    """A task: its name, how many results are told, and records of input cells with the wanted result last."""

    name: str
    told: int
    records: list[tuple[str | None, ...]]


TASKS = [
    Task("number of a sample", 2, [("WQ-0417", "0417"), ("WQ-0042", "0042"), ("AB-1", "1"), ("X-99812", "99812")]),
    Task("team of a sample", 2, [("WQ-0417-b", "WQ"), ("ABC-0042-a", "ABC"), ("X-1-c", "X")]),
    Task("last part", 2, [("WQ-0417-b", "b"), ("ABC-42-north", "north"), ("X-1-2-c", "c")]),
    Task("middle part", 2, [("WQ-0417-b", "0417"), ("ABC-42-north", "42"), ("X-1-c", "1")]),
    Task("family name", 2, [("Rosa Tessen", "Tessen"), ("Ivo Marlo", "Marlo"), ("Ann Maria Weir", "Weir")]),
    Task("given name", 2, [("Rosa Tessen", "Rosa"), ("Ivo Marlo", "Ivo"), ("Ann Maria Weir", "Ann")]),
    Task("initials", 2, [("Rosa Tessen", "RT"), ("Ivo Marlo", "IM"), ("Ann Weir", "AW")]),
    Task("family, given", 2, [("Rosa Tessen", "Tessen, Rosa"), ("Ivo Marlo", "Marlo, Ivo"), ("Ann Weir", "Weir, Ann")]),
    Task("initial and family name", 2, [("Rosa Tessen", "R. Tessen"), ("Ivo Marlo", "I. Marlo"), ("Ann Weir", "A. Weir")]),
    Task("turn the name round", 2, [("Tessen, Rosa", "Rosa Tessen"), ("Marlo, Ivo", "Ivo Marlo"), ("Weir, Ann", "Ann Weir")]),
    Task("capitals", 2, [("harbour", "HARBOUR"), ("upper merrow", "UPPER MERROW"), ("Weir 2", "WEIR 2")]),
    Task("small letters", 2, [("HARBOUR", "harbour"), ("Upper Merrow", "upper merrow"), ("Weir 2", "weir 2")]),
    Task("capital at the beginning", 2, [("HARBOUR east", "Harbour east"), ("upper MERROW", "Upper merrow"), ("wEIR", "Weir")]),
    Task("capitals of words", 2, [("upper merrow", "Upper Merrow"), ("HARBOUR EAST", "Harbour East"), ("mill lane weir", "Mill Lane Weir")]),
    Task("spaces at the ends", 2, [(" weir ", "weir"), ("harbour  ", "harbour"), ("  a b", "a b")]),
    Task("value without its unit", 2, [("8.1 mg/L", "8.1"), ("12 mg/L", "12"), ("0.05 µg/L", "0.05")]),
    Task("unit of a value", 2, [("8.1 mg/L", "mg/L"), ("12 µg/L", "µg/L"), ("0.5 m", "m")]),
    Task("unit in brackets", 2, [("oxygen (mg/L)", "mg/L"), ("depth (m)", "m"), ("ph (no unit)", "no unit")]),
    Task("name before the bracket", 2, [("oxygen (mg/L)", "oxygen"), ("water depth (m)", "water depth"), ("ph (-)", "ph")]),
    Task("date to year", 2, [("2024-03-17", "2024"), ("2023-12-01", "2023"), ("1999-01-31", "1999")]),
    Task("date to month", 2, [("2024-03-17", "2024-03"), ("2023-12-01", "2023-12"), ("1999-01-31", "1999-01")]),
    Task("date written with points", 2, [("2024-03-17", "17.03.2024"), ("2023-12-01", "01.12.2023"), ("1999-01-31", "31.01.1999")]),
    Task("date from points", 2, [("17.03.2024", "2024-03-17"), ("1.12.2023", "2023-12-01"), ("31.1.1999", "1999-01-31")]),
    Task("month by name", 2, [("2024-03-17", "March"), ("2023-12-01", "December"), ("1999-01-31", "January")]),
    Task("short month and year", 2, [("2024-03-17", "Mar 2024"), ("2023-12-01", "Dec 2023"), ("1999-01-31", "Jan 1999")]),
    Task("quarter", 3, [("2024-03-17", "Q1 2024"), ("2023-12-01", "Q4 2023"), ("1999-06-30", "Q2 1999"), ("2001-08-09", "Q3 2001")]),
    Task("weekday", 2, [("2024-03-17", "Sunday"), ("2024-03-18", "Monday"), ("2024-03-20", "Wednesday")]),
    Task("date of a moment", 2, [("2024-03-17 09:40", "2024-03-17"), ("2023-12-01 23:05", "2023-12-01"), ("1999-01-31 00:00", "1999-01-31")]),
    Task("time of a moment", 2, [("2024-03-17 09:40", "09:40"), ("2023-12-01 23:05", "23:05"), ("1999-01-31 00:00", "00:00")]),
    Task("day and month exchanged", 2, [("03/17/2024", "17/03/2024"), ("12/01/2023", "01/12/2023"), ("01/31/1999", "31/01/1999")]),
    Task("compact date", 2, [("20240317", "2024-03-17"), ("20231201", "2023-12-01"), ("19990131", "1999-01-31")]),
    Task("decimal comma", 2, [("7,4", "7.4"), ("12,05", "12.05"), ("0,1", "0.1"), ("100,25", "100.25")]),
    Task("leading zeros", 2, [("42", "0042"), ("7", "0007"), ("1234", "1234"), ("512", "0512")]),
    Task("zeros away", 2, [("0042", "42"), ("0007", "7"), ("1234", "1234"), ("0100", "100")]),
    Task("rounded", 2, [("7.446", "7.4"), ("12.38", "12.4"), ("0.05", "0.1"), ("3.14159", "3.1")]),
    Task("grams to milligrams", 2, [("0.5", "500"), ("1.25", "1250"), ("2", "2000"), ("0.004", "4")]),
    Task("code of two columns", 2, [("WQ", "7", "WQ-7"), ("AB", "42", "AB-42"), ("X", "118", "X-118")]),
    Task("code with zeros", 2, [("WQ", "7", "WQ-0007"), ("AB", "42", "AB-0042"), ("X", "118", "X-0118")]),
    Task("site and date", 2, [("0042", "2024-03-17", "0042/2024-03"), ("0007", "2023-12-01", "0007/2023-12"), ("0118", "1999-01-31", "0118/1999-01")]),
    Task("name and team", 2, [("Rosa Tessen", "Upper", "Tessen (Upper)"), ("Ivo Marlo", "Harbour", "Marlo (Harbour)"), ("Ann Weir", "Lower", "Weir (Lower)")]),
    Task("date from parts", 2, [("2024", "3", "17", "2024-03-17"), ("2023", "12", "1", "2023-12-01"), ("1999", "1", "31", "1999-01-31")]),
    Task("mail to name", 2, [("rosa.tessen@merrow.example", "Rosa Tessen"), ("ivo.marlo@merrow.example", "Ivo Marlo"), ("ann.weir@harbour.example", "Ann Weir")]),
    Task("mail domain", 2, [("rosa@merrow.example", "merrow.example"), ("ivo@harbour.example", "harbour.example"), ("a.b@x.example", "x.example")]),
    Task("user of a mail", 2, [("rosa@merrow.example", "rosa"), ("ivo.m@harbour.example", "ivo.m"), ("a@x.example", "a")]),
    Task("digits of a telephone", 2, [("+40 555-0199", "405550199"), ("+41 (20) 7701", "41207701"), ("0555 12", "055512")]),
    Task("telephone with dots", 2, [("555-0199-22", "555.0199.22"), ("207-7701-33", "207.7701.33"), ("555-1200-44", "555.1200.44")]),
    Task("file of a path", 2, [("in/upper/march.txt", "march.txt"), ("in/lower.txt", "lower.txt"), ("x/y/z/april.csv", "april.csv")]),
    Task("ending of a file", 2, [("march.txt", "txt"), ("lower.march.csv", "csv"), ("april.xlsx", "xlsx")]),
    Task("name of a file without ending", 2, [("march.txt", "march"), ("lower.csv", "lower"), ("april-2.xlsx", "april-2")]),
    Task("upper depth of a band", 2, [("0-1", "1"), ("5-10", "10"), ("10-12", "12"), ("2-5", "5")]),
    Task("band in words", 2, [("0-1", "0 to 1 m"), ("5-10", "5 to 10 m"), ("10-12", "10 to 12 m")]),
    Task("first weather mark", 2, [("rain|wind", "rain"), ("sun|wind|rain", "sun"), ("fog|sun", "fog")]),
    Task("marks with commas", 2, [("rain|wind", "rain, wind"), ("sun|wind|rain", "sun, wind, rain"), ("fog", "fog")]),
    Task("underscores", 2, [("Upper Merrow", "upper_merrow"), ("Harbour East", "harbour_east"), ("Mill Lane Weir", "mill_lane_weir")]),
    Task("number of bottles", 2, [("3 bottles", "3"), ("12 bottles", "12"), ("1 bottle", "1")]),
    Task("volume of bottles", 2, [("2 x 250 mL", "250"), ("12 x 500 mL", "500"), ("1 x 1000 mL", "1000")]),
    Task("value with its uncertainty", 2, [("112 ± 3", "112"), ("98 ± 12", "98"), ("1024 ± 1", "1024")]),
    Task("the uncertainty", 2, [("112 ± 3", "3"), ("98 ± 12", "12"), ("1024 ± 1", "1")]),
    Task("value of a limit", 2, [("<0.05", "0.05"), ("<1", "1"), ("<12.5", "12.5")]),
    Task("coordinates without degree", 2, [("47.31° N", "47.31"), ("8.5° E", "8.5"), ("12.004° N", "12.004")]),
    Task("direction of a coordinate", 2, [("47.31° N", "N"), ("8.5° E", "E"), ("12.004° S", "S")]),
    Task("key of three columns", 2, [("Upper", "2024", "7", "U-2024-007"), ("Harbour", "2023", "42", "H-2023-042"), ("Lower", "1999", "118", "L-1999-118")]),
    Task("short code of a laboratory", 2, [("Lab North", "NOR"), ("Lab Harbour", "HAR"), ("Lab Lower", "LOW")]),
    Task("laboratory without lab", 2, [("Lab North", "North"), ("Lab Harbour", "Harbour"), ("Lab East Fork", "East Fork")]),
    Task("result with unit", 2, [("5.2", "mg/L", "5.2 mg/L"), ("0.18", "µg/L", "0.18 µg/L"), ("21", "mg/L", "21 mg/L")]),
    Task("analyte and fraction", 2, [("NO3-N", "NO3"), ("PO4-P", "PO4"), ("NH4-N", "NH4")]),
    Task("minutes to hours", 2, [("90", "1.5"), ("30", "0.5"), ("120", "2"), ("15", "0.25")]),
    Task("time with a colon", 2, [("0940", "09:40"), ("2305", "23:05"), ("0000", "00:00")]),
    Task("year of a code", 2, [("S2024-17", "2024"), ("S2023-4", "2023"), ("S1999-312", "1999")]),
    Task("text between slashes", 2, [("a/upper/1", "upper"), ("b/harbour/22", "harbour"), ("c/east fork/3", "east fork")]),
    Task("remark after a colon", 2, [("note: ice", "ice"), ("note: bottle broken", "bottle broken"), ("note: late", "late")]),
    Task("single spaces", 2, [("a   b", "a b"), ("upper  merrow weir", "upper merrow weir"), ("x  y   z", "x y z")]),
    Task("without accents", 2, [("É. Moreau", "E. Moreau"), ("J. Grün", "J. Grun"), ("Å. Lindqvist", "A. Lindqvist")]),
]  # fmt: skip
