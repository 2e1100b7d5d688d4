"""Wishes of several trades for by example: what stands in the columns, and how each wanted result is computed, apart from
any formula of ours. The first two, three or four results are told; all others must come out right.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

Cell = str | None
_MONTHS = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
]


@dataclass(frozen=True)
class Wish:
    """A wish: its name, the cells of each record, and the wanted result of each."""

    name: str
    records: Sequence[tuple[Cell, ...]]
    results: Sequence[Cell]
    lists: dict[str, dict[str, str]] = field(default_factory=dict)  # code lists that may be looked into


def wish(name: str, cells: Sequence[Cell] | Sequence[tuple[Cell, ...]], want: Callable[..., Cell]) -> Wish:
    """A wish whose results are computed; a single column may be given without tuples."""
    records = [record if isinstance(record, tuple) else (record,) for record in cells]
    return Wish(name, records, [want(*record) for record in records])


PEOPLE = [
    "Rosa Tessen",
    "Ivo Marlo",
    "Ann Maria Weir",
    "Jon Odd Varga",
    "Lea Brandt",
    "Tomas Eli Roe",
    "Una Kell",
    "Otto Abel Finn Hale",
]
TURNED = [
    "Tessen, Rosa",
    "Marlo, Ivo",
    "Weir, Ann Maria",
    "Varga, Jon",
    "van Doorn, Lea",
    "Roe, Tomas Eli",
    "Kell, Una",
]
PATHS = [
    "in/2024/march.csv",
    "archive/2023/q4/december.tar.gz",
    "x/y.txt",
    "in/2022/sub.dir/april.csv",
    "out/plain.md",
    "a/b/c/d/report.pdf",
]
MAILS = [
    "rosa.tessen@merrow.example",
    "i.marlo@lab.harbour.example",
    "weir@north.example",
    "una_kell@mill.example",
    "o.hale@post.weir.example",
]
WEBS = [
    "https://merrow.example/a/b?id=12&lang=en",
    "http://harbour.example/list?id=7",
    "https://mill.example/x?id=204&lang=de",
    "https://weir.example/q/r/s?id=55&lang=fr",
    "http://lab.north.example/?id=9&p=1",
]
LINES = [
    "2024-03-17 09:40:12 ERROR [intake] file not found: a.csv",
    "2024-03-17 10:02:55 INFO [run] 400 records done",
    "2023-12-01 00:00:01 WARN [release] slow answer (12 s)",
    "2022-01-31 23:59:59 INFO [profile] started",
    "2024-05-05 05:05:05 ERROR [run] stopped: no space",
]
KEYS = [
    "colour=red;size=12;mark=N",
    "size=7;colour=dark blue;mark=S",
    "mark=E;size=40;colour=green",
    "colour=white;size=9",
    "size=31;mark=W;colour=grey",
]
LABELS = [
    "Weight: 12 kg, Height: 180 cm",
    "Height: 92 cm, Weight: 14 kg",
    "Weight: 71 kg, Height: 169 cm",
    "Height: 201 cm, Weight: 103 kg",
    "Weight: 8 kg, Height: 75 cm",
]
ADDRESSES = [
    "12 Mill Lane, 4021 Harbour",
    "7 Weir Road, 118 Upper Merrow",
    "104b Quay, 9000 East",
    "3 Long Long Street, 55010 Lower Ford",
    "88 Dock, 2100 Mill",
]
GERMAN = ["1.234,50", "12,00", "987.654.321,75", "0,5", "12.000,25", "7"]
ENGLISH = ["1,234.50", "12.00", "987,654,321.75", "0.5", "12,000.25", "7"]
MONEY = ["EUR 1,234.50", "USD 12.00", "EUR 99.95", "CHF 1,000,000.00", "USD 0.99", "EUR 45,000.10"]
DATES = ["2024-03-17", "2023-12-01", "1999-01-31", "2020-02-29", "2021-10-05", "2022-07-09"]
POINTS = ["17.03.2024", "01.12.2023", "31.01.1999", "29.02.2020", "05.10.2021", "9.7.2022"]
MOMENTS = [
    "2024-03-17 09:40:12",
    "2023-12-01 23:05:00",
    "1999-01-31 00:00:59",
    "2020-02-29 12:30:30",
    "2021-10-05 06:07:08",
]
SHELVES = ["A-12-003", "B-7-118", "AC-104-1", "D-33-020", "Z-1-999"]
PARTS = ["BX-2231/04", "LK-17/11", "PA-90210/3", "T-5/120", "QQ-808/07"]
UNCERTAIN = ["12+3", "98±12", "7−0.5", "1024±1", "33+0.25", "5.5−1"]
PHONES = ["+40 555-0199", "+41 (20) 7701 33", "0555 12 88", "+40 20 7188 21", "0044.555.19"]
TITLES = ["the old mill", "Harbour at Dawn", "A WEIR IN THE NORTH", "lock no. 4", "east of the ford", "Seven Boats"]
SIZES = ["20 x 30 x 5 cm", "7 x 120 x 44 cm", "100 x 1 x 2 cm", "33 x 33 x 33 cm", "4 x 15 x 260 cm"]
VERSIONS = ["v1.2.3", "v10.0.4", "v2.33.1", "v0.9.12", "v7.1.0"]
TAGS = ["#red #big", "#blue", "#big #round #old", "#old #red", "#round"]
UNITS = ["5kg", "12 g", "0.75kg", "300g", "1.5 t", "42 kg"]
RANGES = ["18-25", "26-40", "41-65", "66-99", "5-9", "100-110"]
NOTES = ["ok", "ok (checked)", "late (2 days)", "broken", "ok (twice)", "lost (at sea)"]
PLACES = ["Harbour [N]", "Mill", "Weir [SW]", "Ford [E]", "East Lock", "Quay [NNE]"]

WISHES: list[Wish] = [
    # parts between two different marks
    wish("level of a log line in its place", LINES, lambda s: s.split()[2]),
    wish("part of a log line in brackets", LINES, lambda s: re.findall(r"\[(.*?)\]", s)[0]),
    wish("message of a log line", LINES, lambda s: s.split("] ", 1)[1]),
    wish("host of an address", WEBS, lambda s: s.split("//")[1].split("/")[0]),
    wish("id in an address", WEBS, lambda s: re.findall(r"id=(\d+)", s)[0]),
    wish("scheme of an address", WEBS, lambda s: s.split(":")[0]),
    wish("path of an address", WEBS, lambda s: "/" + s.split("//")[1].split("/", 1)[1].split("?")[0]),
    wish("house number", ADDRESSES, lambda s: s.split()[0]),
    wish("street without its number", ADDRESSES, lambda s: s.split(" ", 1)[1].split(",")[0]),
    wish("postcode", ADDRESSES, lambda s: s.split(", ")[1].split()[0]),
    wish("town after a postcode", ADDRESSES, lambda s: s.split(", ")[1].split(" ", 1)[1]),
    wish("part number between dash and slash", PARTS, lambda s: s.split("-")[1].split("/")[0]),
    wish("folder and name without ending", PATHS[:3] + PATHS[4:], lambda s: s.split(".")[0]),
    wish("second number of a size", SIZES, lambda s: s.split(" x ")[1]),
    wish("third number of a size", SIZES, lambda s: s.split(" x ")[2].split()[0]),
    wish("first word in brackets", [*NOTES[1:3], NOTES[4], NOTES[5], "sold (to whom it may concern)"], lambda s: re.findall(r"\((\S+?)[\s)]", s)[0]),
    wish("domain without its ending", MAILS, lambda s: s.split("@")[1].rsplit(".", 1)[0]),
    wish("user and first letter of the domain", MAILS, lambda s: s.split("@")[0] + "@" + s.split("@")[1][0]),
    # last parts
    wish("ending of a file", PATHS, lambda s: s.rsplit(".", 1)[1]),
    wish("name of a file", PATHS, lambda s: s.rsplit("/", 1)[1]),
    wish("folder of a file", PATHS, lambda s: s.rsplit("/", 1)[0]),
    wish("last folder", [*PATHS[:2], *PATHS[3:]], lambda s: s.split("/")[-2]),
    wish("last word", PEOPLE, lambda s: s.split()[-1]),
    wish("all but the last word", PEOPLE, lambda s: s.rsplit(" ", 1)[0]),
    wish("all but the first word", PEOPLE, lambda s: s.split(" ", 1)[1]),
    wish("last number of a version", VERSIONS, lambda s: s.rsplit(".", 1)[1]),
    wish("version without its letter", VERSIONS, lambda s: s[1:]),
    wish("last four digits", ["4539148803436467", "4000123412341234", "5100998877665544", "4111000022223333", "6011555544443210"], lambda s: s[-4:]),
    # first letters of words
    wish("initials", PEOPLE, lambda s: "".join(w[0] for w in s.split())),
    wish("initials with points", PEOPLE, lambda s: " ".join(w[0] + "." for w in s.split())),
    wish("initials in small letters", PEOPLE, lambda s: "".join(w[0] for w in s.split()).lower()),
    wish("short form of a title", TITLES, lambda s: "".join(w[0] for w in s.split()).upper()),
    wish("initials and year", [(p, d) for p, d in zip(PEOPLE, DATES, strict=False)], lambda p, d: "".join(w[0] for w in p.split()) + "-" + d[:4]),
    wish("letter and family name", PEOPLE, lambda s: s[0] + ". " + s.split()[-1]),
    wish("family name, letter", PEOPLE, lambda s: s.split()[-1] + ", " + s[0] + "."),
    wish("user name", PEOPLE, lambda s: (s[0] + s.split()[-1]).lower()),
    wish("turned name", TURNED, lambda s: " ".join(reversed(s.split(", ")))),
    wish("family name in capitals", TURNED, lambda s: s.split(",")[0].upper()),
    # grouped digits
    wish("German number", GERMAN, lambda s: f"{float(s.replace('.', '').replace(',', '.')):.12g}"),
    wish("English number", ENGLISH, lambda s: f"{float(s.replace(',', '')):.12g}"),
    wish("German number kept with two places", [*GERMAN[:3], "12.000,25", "5,00", "100,10"], lambda s: s.replace(".", "").replace(",", ".")),
    wish("English grouping away", [*ENGLISH[:3], "12,000.25", "5.00"], lambda s: s.replace(",", "")),
    wish("amount of money", MONEY, lambda s: s.split()[1].replace(",", "")),
    wish("currency", MONEY, lambda s: s.split()[0]),
    wish("amount before currency", MONEY, lambda s: s.split()[1] + " " + s.split()[0]),
    wish("Swiss grouping", ["1'234.50", "12.00", "5'000'000.75", "100'000.25", "7.10"], lambda s: s.replace("'", "")),
    wish("grouping by spaces", ["1 234", "12", "5 000 000", "100 000", "7 101"], lambda s: s.replace(" ", "")),
    wish("English to German", [*ENGLISH[:3], "12,000.25", "5.00"], lambda s: s.translate(str.maketrans(",.", ".,"))),
    # marks of which one or another stands there
    wish("value before an uncertainty", UNCERTAIN, lambda s: re.split(r"[+±−]", s)[0]),
    wish("uncertainty after its mark", UNCERTAIN, lambda s: re.split(r"[+±−]", s)[1]),
    wish("before a dash or slash", ["12-3", "98/12", "7-05", "1024/1", "33-25"], lambda s: re.split(r"[-/]", s)[0]),
    wish("after a comma or semicolon", ["a,b", "cc;d", "e,fff", "g;h", "i,j"], lambda s: re.split(r"[,;]", s)[1]),
    wish("number before its unit, with and without a space", UNITS, lambda s: re.findall(r"[\d.]+", s)[0]),
    wish("unit after its number, with and without a space", UNITS, lambda s: re.findall(r"[a-z]+", s)[0]),
    wish("digits of a telephone", PHONES, lambda s: re.sub(r"\D", "", s)),
    wish("marks become spaces", ["a_b-c", "mill_lane-4", "x-y_z", "one_two_three", "p-q-r"], lambda s: re.sub(r"[_-]", " ", s)),
    # first column else second
    wish("first column else second", [("a1", "z9"), (None, "b2"), ("c3", None), (None, "d4"), ("e5", "y8"), ("f6", "f7")], lambda a, b: a or b),
    wish("second column else first", [("a1", None), ("zz", "b2"), ("c3", None), ("x", "d4"), ("e5", "y8")], lambda a, b: b or a),
    wish("mobile else fixed line", [(None, "555-1"), ("077-2", "555-2"), ("077-3", None), (None, "555-4"), ("077-5", "555-5")], lambda a, b: a or b),
    wish("name else mail before its sign", [(None, "rosa@m.example"), ("Ivo", "marlo@h.example"), ("Ann", "weir@n.example"), (None, "una@m.example"), ("Lea", None)], lambda a, b: a or b.split("@")[0]),
    wish("first of three columns", [(None, None, "c"), ("a", "b", None), (None, "y", "z"), (None, "q", None), ("m", None, "n"), (None, None, "k")], lambda a, b, c: a or b or c),
    wish("value or unknown", ["red", None, "blue", None, "green", "white"], lambda s: s or "unknown"),
    # key=value lists
    wish("colour of a list of keys", KEYS, lambda s: re.findall(r"colour=([^;]*)", s)[0]),
    wish("size of a list of keys", KEYS, lambda s: re.findall(r"size=([^;]*)", s)[0]),
    wish("weight of labels", LABELS, lambda s: re.findall(r"Weight: (\d+)", s)[0]),
    wish("height with its unit", LABELS, lambda s: re.findall(r"Height: ([^,]+)", s)[0]),
    wish("value of a JSON text", ['{"id": 12, "name": "mill"}', '{"id": 7, "name": "weir"}', '{"id": 104, "name": "east lock"}', '{"id": 55, "name": "ford"}', '{"id": 1, "name": "quay"}'], lambda s: re.findall(r'"name": "(.*?)"', s)[0]),
    wish("number of a JSON text", ['{"id": 12, "name": "mill"}', '{"id": 7, "name": "weir 2"}', '{"id": 104, "name": "east lock"}', '{"id": 55, "name": "ford"}', '{"id": 1, "name": "quay"}'], lambda s: re.findall(r'"id": (\d+)', s)[0]),
    # missing results
    wish("text in brackets, else nothing", NOTES, lambda s: (re.findall(r"\((.*?)\)", s) or [None])[0]),
    wish("mark in square brackets, else nothing", PLACES, lambda s: (re.findall(r"\[(.*?)\]", s) or [None])[0]),
    wish("name before square brackets", PLACES, lambda s: s.split(" [")[0]),
    wish("remark before brackets", NOTES, lambda s: s.split(" (")[0]),
    wish("dash means nothing", ["12", "-", "7", "104", "-", "3"], lambda s: None if s == "-" else s),
    wish("unknown means nothing", ["mill", "unknown", "weir", "unknown", "ford", "quay"], lambda s: None if s == "unknown" else s),
    wish("only numbers are kept", ["12", "n/a", "7", "none", "104", "?"], lambda s: s if s.isdigit() else None),
    wish("second tag if there is one", [TAGS[0], TAGS[1], TAGS[2], TAGS[3], TAGS[4]], lambda s: [*s.split(), None][1]),
    wish("middle name, else nothing", ["Ann Maria Weir", "Ivo Marlo", "Jon Odd Varga", "Lea Brandt", "Tomas Eli Roe", "Una Kell"], lambda s: s.split()[1] if len(s.split()) == 3 else None),
    # a few values that stand for others
    wish("yes and no for letters", ["Y", "N", "Y", "N", "N", "Y"], lambda s: {"Y": "yes", "N": "no"}[s]),
    wish("one and zero", ["true", "false", "false", "true", "true"], lambda s: {"true": "1", "false": "0"}[s]),
    # case and spaces
    wish("capital letters at words", TITLES, lambda s: " ".join(w[:1].upper() + w[1:].lower() for w in s.split())),
    wish("sentence case", TITLES, lambda s: s[:1].upper() + s[1:].lower()),
    wish("all capitals without spaces", TITLES, lambda s: s.upper().replace(" ", "")),
    wish("underscored", TITLES, lambda s: s.lower().replace(" ", "_")),
    wish("words with dashes", TITLES, lambda s: s.lower().replace(" ", "-")),
    wish("trimmed", ["  mill ", "weir  ", " east  lock", "ford", "  quay  5 "], lambda s: s.strip()),
    wish("single spaces", ["  mill  2", "weir   a  b", " east lock", "ford  ", "a   b"], lambda s: " ".join(s.split())),
    wish("quotes away", ['"mill"', '"east lock"', '"weir"', '"a b"', '"7"'], lambda s: s.strip('"')),
    # dates
    wish("ISO from points", POINTS, lambda s: "-".join(f"{int(p):02}" for p in reversed(s.split(".")))),
    wish("points from ISO", DATES, lambda s: ".".join(reversed(s.split("-")))),
    wish("month by name and year", DATES, lambda s: f"{_MONTHS[int(s[5:7]) - 1]} {s[:4]}"),
    wish("quarter and year", DATES, lambda s: f"{s[:4]} Q{(int(s[5:7]) + 2) // 3}"),
    wish("year of a point date", POINTS, lambda s: s[-4:]),
    wish("hour", MOMENTS, lambda s: s[11:13]),
    wish("day of a moment with points", MOMENTS, lambda s: ".".join(reversed(s[:10].split("-")))),
    wish("minute only", MOMENTS, lambda s: s[:16]),
    wish("English date", ["March 17, 2024", "December 1, 2023", "January 31, 1999", "February 29, 2020", "October 5, 2021"], lambda s: f"{s.split()[2]}-{_MONTHS.index(s.split()[0]) + 1:02}-{int(s.split()[1][:-1]):02}"),
    wish("short English date", ["17 Mar 2024", "1 Dec 2023", "31 Jan 1999", "29 Feb 2020", "5 Oct 2021"], lambda s: f"{s.split()[2]}-{[m[:3] for m in _MONTHS].index(s.split()[1]) + 1:02}-{int(s.split()[0]):02}"),
    wish("two digits of the year", DATES, lambda s: s[2:4]),
    wish("school year", ["2024", "2019", "1999", "2021", "2008"], lambda s: f"{s}/{int(s) + 1}"),
    # numbers
    wish("filled with zeros", ["7", "42", "118", "5", "1024"], lambda s: s.zfill(5)),
    wish("zeros away", ["007", "0042", "118", "05", "00010"], lambda s: s.lstrip("0")),
    wish("shelf with numbers filled", SHELVES, lambda s: f"{s.split('-')[0]}-{s.split('-')[1].zfill(3)}-{s.split('-')[2]}"),
    wish("percent to a share", ["12%", "5%", "100%", "7.5%", "0.5%"], lambda s: f"{float(s[:-1]) / 100:.12g}"),
    wish("share to a percent", ["0.12", "0.05", "1", "0.075", "0.5"], lambda s: f"{float(s) * 100:.12g}%"),
    wish("sum of two columns", [("2", "3"), ("10", "7"), ("0.5", "0.25"), ("100", "1"), ("8", "8")], lambda a, b: f"{float(a) + float(b):.12g}"),
    wish("product of two columns", [("2", "3"), ("10", "7"), ("0.5", "4"), ("100", "1"), ("8", "8")], lambda a, b: f"{float(a) * float(b):.12g}"),
    wish("difference of two columns", [("5", "3"), ("10", "7"), ("0.5", "0.25"), ("100", "1"), ("8", "8")], lambda a, b: f"{float(a) - float(b):.12g}"),
    wish("middle of a range", RANGES, lambda s: f"{(int(s.split('-')[0]) + int(s.split('-')[1])) / 2:.12g}"),
    wish("rounded to two places", ["1170.495", "7.4449", "12.005", "3.14159", "100.1"], lambda s: f"{round(float(s) * 100 + 1e-9) / 100:.12g}"),
    wish("kilograms to grams", ["0.5", "12", "1.25", "0.001", "7.5"], lambda s: f"{float(s) * 1000:.12g}"),
    wish("brackets mean minus", ["(12.50)", "7.00", "(3.25)", "100.10", "(0.99)", "45.00"], lambda s: "-" + s[1:-1] if s[0] == "(" else s),
    # several columns
    wish("key of two columns", [("N", "7"), ("S", "42"), ("E", "118"), ("W", "5")], lambda a, b: f"{a}-{b.zfill(4)}"),
    wish("full name of two columns", [("rosa", "TESSEN"), ("ivo", "MARLO"), ("ann", "WEIR"), ("una", "KELL")], lambda a, b: f"{a.capitalize()} {b.capitalize()}"),
    wish("texts joined, missing left out", [("Mill Lane", "4021 Harbour"), ("Weir Road", None), ("Quay", "9000 East"), (None, "2100 Mill"), ("Dock", "55 Ford")], lambda a, b: ", ".join(x for x in (a, b) if x)),
    wish("mail address", [("Rosa", "Tessen"), ("Ivo", "Marlo"), ("Ann", "Weir"), ("Una", "Kell")], lambda a, b: f"{a.lower()}.{b.lower()}@merrow.example"),
    wish("sorted by a letter", [("x", "N"), ("y", "S"), ("z", "N"), ("u", "S"), ("v", "N")], lambda a, b: f"{b}{a}"),
    # lists
    wish("first of a list", ["red; blue; green", "white", "grey; red", "blue; white", "green; red; red; grey"], lambda s: s.split("; ")[0]),
    wish("last of a list", ["red; blue; green", "white", "grey; red", "blue; white", "green; red; red; grey"], lambda s: s.split("; ")[-1]),
    wish("list with bars", ["red; blue; green", "white; red", "grey", "blue; white", "green; red; red; grey"], lambda s: s.replace("; ", "|")),
    wish("how many in a list", ["red; blue; green", "white", "grey; red", "blue; white", "green; red; red; grey"], lambda s: str(s.count(";") + 1)),
    wish("tag signs away", TAGS, lambda s: s.replace("#", "")),
    wish("length", ["mill", "weir 2", "a", "harbour", "ford"], lambda s: str(len(s))),
]  # fmt: skip
