"""Further wishes for by example, of other trades, written after the solver and not used to adjust it."""

from __future__ import annotations

import re

from by_example_wishes import Wish, wish

SHIPS = [
    "MV Aurelia (IMO 9074729)",
    "SS Brightwater (IMO 8814275)",
    "MV Old Tern (IMO 9321483)",
    "MT Calla II (IMO 9811000)",
    "FV Dunlin (IMO 7602129)",
]
FLIGHTS = [
    "QX 0417 LHA-BRW 09:40",
    "ZP 12 BRW-OSD 23:05",
    "QX 9001 OSD-LHA 00:15",
    "AB 733 KRN-BRW 12:00",
    "ZP 5 LHA-KRN 06:45",
]
BOOKS = [
    "Hale, O. (1998): The Ford. Mill Press.",
    "Weir, A.M. (2011): Tides and Locks. Quay & Co.",
    "Kell, U. (2020): On Weirs. Mill Press.",
    "Roe, T.E. (1975): A Lock. East House.",
    "Varga, J. (2003): Rivers, Slow. Quay & Co.",
]
DOSES = [
    "Calmin 50 mg tablets",
    "Vigoral 5 mg capsules",
    "Calmin Forte 100 mg tablets",
    "Dropsin 0.5 mg drops",
    "Lunex 12.5 mg tablets",
    "Aero Plus 250 mg capsules",
]
INVOICES = ["INV/2024/000417", "INV/2023/000042", "CRN/2024/118000", "INV/1999/000007", "CRN/2020/004100"]
ACCOUNTS = [
    "DE44 5001 0517 5407 3249 31",
    "GB82 WEST 1234 5698 7654 32",
    "CH93 0076 2011 6238 5295 7",
    "FR14 2004 1010 0505 0001 3M02 606",
    "NO93 8601 1117 947",
]
CARS = ["Tern 1.6 TDI 2014", "Osprey 2.0 2019", "Swift Sport 1.4 T 2021", "Heron 0.9 2008", "Gull XL 3.0 V6 2017"]
COORDS = ["47.3102, 8.5117", "-12.004, 130.25", "0.5, -0.25", "60.1, 24.94", "35, 139.7"]
COURSES = ["MATH101-A: Algebra", "PHYS2-C: Light and Sound", "BIO330-B: Cells", "CHEM44-A: Salts", "HIST7-D: Old Towns"]
PRICES = ["$1,299.00", "$15.50", "$980.00", "$12,000.75", "$7.05"]
SPANS = ["09:00-17:30", "22:15-06:00", "7:45-12:00", "13:00-13:45", "00:00-23:59"]
TEMPS = ["21.5°C", "-3°C", "0°C", "104.25°C", "-12.5°C"]
STATUS = ["01 - open", "02 - waiting for parts", "10 - closed", "99 - unknown", "03 - sent back"]
SENSORS = ["st07/temp/max", "st12/wind", "st110/rain/sum", "st3/temp/min", "st44/wind/gust"]
EMPLOYEES = ["E-00417 Tessen Rosa", "E-00042 Marlo Ivo", "E-11800 Weir Ann", "E-00007 Kell Una", "E-09000 Hale Otto"]
JSONS = [
    '{"t":"wind","v":12.5}',
    '{"v":3,"t":"rain"}',
    '{"t":"temp","v":-4}',
    '{"t":"fog","v":0}',
    '{"v":88.25,"t":"wind"}',
]
RGB = ["rgb(12, 200, 7)", "rgb(255, 0, 0)", "rgb(1, 2, 3)", "rgb(99, 128, 64)", "rgb(0, 255, 10)"]
DAYS = ["20240317", "20231201", "19990131", "20200229", "20211005"]
US = ["3/17/2024", "12/1/2023", "1/31/1999", "2/29/2020", "10/5/2021"]
NAMES2 = [
    ("Dr. Rosa Tessen", "F"),
    ("Ivo Marlo", "M"),
    ("Prof. Ann Weir", "F"),
    ("Otto Hale", "M"),
    ("Dr. Una Kell", "F"),
]

WISHES: list[Wish] = [
    wish("number of a ship", SHIPS, lambda s: re.findall(r"IMO (\d+)", s)[0]),
    wish("name of a ship", SHIPS, lambda s: s.split(" ", 1)[1].split(" (")[0]),
    wish("kind of ship", SHIPS, lambda s: s[:2]),
    wish("flight without its space", FLIGHTS, lambda s: s.split()[0] + s.split()[1]),
    wish("from where", FLIGHTS, lambda s: s.split()[2].split("-")[0]),
    wish("to where", FLIGHTS, lambda s: s.split()[2].split("-")[1]),
    wish("from - to", FLIGHTS, lambda s: s.split()[2].replace("-", " to ")),
    wish("hour of departure", FLIGHTS, lambda s: s.split()[-1].split(":")[0]),
    wish("year of a book", BOOKS, lambda s: re.findall(r"\((\d+)\)", s)[0]),
    wish("title of a book", BOOKS, lambda s: s.split("): ")[1].split(".")[0]),
    wish("family name of the author", BOOKS, lambda s: s.split(",")[0]),
    wish("family name and year", BOOKS, lambda s: s.split(",")[0] + " " + re.findall(r"\((\d+)\)", s)[0]),
    wish("publisher", BOOKS, lambda s: re.split(r"\. ", s.split("): ")[1], maxsplit=1)[1].rstrip(".")),
    wish("dose", DOSES, lambda s: re.findall(r"[\d.]+", s)[0]),
    wish("dose with unit", DOSES, lambda s: re.findall(r"[\d.]+ mg", s)[0]),
    wish("form of a medicine", DOSES, lambda s: s.split()[-1]),
    wish("name of a medicine", DOSES, lambda s: re.split(r" [\d.]+ mg", s)[0]),
    wish("number of an invoice without zeros", INVOICES, lambda s: s.split("/")[2].lstrip("0")),
    wish("invoice as dashes", INVOICES, lambda s: s.replace("/", "-")),
    wish("year and kind", INVOICES, lambda s: s.split("/")[1] + "-" + s.split("/")[0]),
    wish("account without spaces", ACCOUNTS, lambda s: s.replace(" ", "")),
    wish("country of an account", ACCOUNTS, lambda s: s[:2]),
    wish("end of an account", ACCOUNTS, lambda s: s.replace(" ", "")[-4:]),
    wish("year of a car", CARS, lambda s: s.split()[-1]),
    wish("engine of a car", CARS, lambda s: re.findall(r"\d\.\d", s)[0]),
    wish("latitude", COORDS, lambda s: s.split(", ")[0]),
    wish("longitude", COORDS, lambda s: s.split(", ")[1]),
    wish("longitude latitude", COORDS, lambda s: s.split(", ")[1] + " " + s.split(", ")[0]),
    wish("subject", COURSES, lambda s: re.findall(r"^[A-Z]+", s)[0]),
    wish("course number", COURSES, lambda s: re.findall(r"\d+", s)[0]),
    wish("group of a course", COURSES, lambda s: s.split("-")[1].split(":")[0]),
    wish("title of a course", COURSES, lambda s: s.split(": ")[1]),
    wish("code of a course", COURSES, lambda s: s.split("-")[0]),
    wish("price as a number", PRICES, lambda s: s[1:].replace(",", "")),
    wish("price without cents", PRICES, lambda s: s[1:].replace(",", "").split(".")[0]),
    wish("beginning of a span", SPANS, lambda s: s.split("-")[0]),
    wish("end of a span", SPANS, lambda s: s.split("-")[1]),
    wish("hour of the end", SPANS, lambda s: s.split("-")[1].split(":")[0]),
    wish("degrees", TEMPS, lambda s: s[:-2]),
    wish("to Fahrenheit", TEMPS, lambda s: f"{float(s[:-2]) * 1.8 + 32:.12g}"),
    wish("code of a state", STATUS, lambda s: s[:2]),
    wish("word of a state", STATUS, lambda s: s.split(" - ")[1]),
    wish("state with a capital", STATUS, lambda s: s.split(" - ")[1].capitalize()),
    wish("station number", SENSORS, lambda s: re.findall(r"\d+", s)[0]),
    wish("quantity of a sensor", SENSORS, lambda s: s.split("/")[1]),
    wish("how of a sensor, if any", SENSORS, lambda s: [*s.split("/"), None][2]),
    wish("given and family name", EMPLOYEES, lambda s: s.split()[2] + " " + s.split()[1]),
    wish("number of an employee", EMPLOYEES, lambda s: s.split()[0].split("-")[1].lstrip("0")),
    wish("type in JSON in any order", JSONS, lambda s: re.findall(r'"t":"(.*?)"', s)[0]),
    wish("value in JSON in any order", JSONS, lambda s: re.findall(r'"v":([-\d.]+)', s)[0]),
    wish("green of a colour", RGB, lambda s: re.findall(r"\d+", s)[1]),
    wish("colour with semicolons", RGB, lambda s: ";".join(re.findall(r"\d+", s))),
    wish("compact day to points", DAYS, lambda s: f"{s[6:]}.{s[4:6]}.{s[:4]}"),
    wish("American day to ISO", US, lambda s: f"{s.split('/')[2]}-{int(s.split('/')[0]):02}-{int(s.split('/')[1]):02}"),
    wish("month of an American day", US, lambda s: s.split("/")[0]),
    wish("title away", [n for n, _ in NAMES2], lambda s: re.sub(r"^\w+\. ", "", s)),
    wish("title if there is one", [n for n, _ in NAMES2], lambda s: (re.findall(r"^\w+\.", s) or [None])[0]),
    wish("salutation", NAMES2, lambda n, g: ("Ms " if g == "F" else "Mr ") + n.split()[-1]),
    wish("net from gross", [("119", "19"), ("107", "7"), ("250.5", "50.5"), ("12", "2"), ("99.99", "9.99")], lambda a, b: f"{float(a) - float(b):.12g}"),
    wish("price each", [("12", "4"), ("100", "8"), ("7.5", "3"), ("81", "9"), ("20", "16")], lambda a, b: f"{float(a) / float(b):.12g}"),
    wish("percent of", [("3", "4"), ("1", "8"), ("50", "200"), ("9", "10"), ("7", "7")], lambda a, b: f"{100 * float(a) / float(b):.12g}"),
    wish("first given else second, in capitals", [(None, "mill"), ("weir", "ford"), (None, "quay"), ("dock", None), ("lock", "east")], lambda a, b: (a or b).upper()),
    wish("zero where missing", ["12", None, "7", None, "104", "3"], lambda s: s or "0"),
    wish("no zero values", ["12", "0", "7", "0", "104", "3"], lambda s: None if s == "0" else s),
    wish("comma decimals", ["12,5", "7,25", "100,0", "3,14", "0,5"], lambda s: s.replace(",", ".")),
    wish("in brackets", ["mill", "old weir", "ford", "quay 5", "dock"], lambda s: f"({s})"),
    wish("with a prefix", ["417", "42", "1180", "7", "90"], lambda s: f"ST-{s}"),
    wish("letters before digits", ["ab12", "c7", "def104", "gh55", "ijkl3"], lambda s: re.findall("[a-z]+", s)[0]),
    wish("divided code", ["ab12", "c7", "def104", "gh55", "ijkl3"], lambda s: re.sub(r"([a-z])(\d)", r"\1-\2", s)),
    wish("large or small", ["L", "S", "S", "L", "L", "S"], lambda s: {"L": "large", "S": "small"}[s]),
]  # fmt: skip
