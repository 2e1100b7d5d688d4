"""Wishes of people who clean tables, in several trades, each with the one to three rules that fulfil it and the table they
expect, written down by hand. `ready` is what leaves for reporting, `quarantined` the numbers of records that are set apart.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

Cells = dict[str, list[Any]]
Rule = dict[str, Any]


@dataclass(frozen=True)
class Wish:
    """What is wished for, on what table, by which rules, and what is expected."""

    wish: str
    before: dict[str, list[str | None]]
    rules: list[Rule]
    ready: Cells
    quarantined: list[int] = field(default_factory=list)
    references: dict[str, dict[str, list[str | None]]] = field(default_factory=dict)


def _pairs(*pairs: tuple[str, str]) -> list[dict[str, str]]:
    return [{"code": code, "meaning": meaning} for code, meaning in pairs]


WISHES = [
    # text
    Wish("no spaces around names, one inside", {"a": ["  Ann  Lee ", "Bo\u00a0", None]},
         [{"kind": "trim-spaces", "columns": ["a"], "collapse": True}], {"a": ["Ann Lee", "Bo", None]}),
    Wish("product codes in capitals without dashes", {"sku": ["ab-12", "CD-9-x", None]},
         [{"kind": "letter-case", "columns": ["sku"], "letters": "capitals"}, {"kind": "replace-text", "columns": ["sku"], "find": "-"}],
         {"sku": ["AB12", "CD9X", None]}),
    Wish("postcodes lost their leading zeros", {"zip": ["1067", "80331", "501", None]},
         [{"kind": "pad", "columns": ["zip"], "length": 5}], {"zip": ["01067", "80331", "00501", None]}),
    Wish("what stands in brackets into a column of its own", {"a": ["Pump (old)", "Valve", None]},
         [{"kind": "compute", "columns": ["state"], "formula": "enclosed(a, '(', ')')"}],
         {"a": ["Pump (old)", "Valve", None], "state": ["old", None, None]}),
    Wish("only the digits of telephone numbers", {"t": ["+49 (30) 12-34", "n/a", None]},
         [{"kind": "remove-characters", "columns": ["t"], "characters": ["digits"], "those": "keep only"}], {"t": ["49301234", None, None]}),
    Wish("first and last name apart", {"n": ["Ada Byron", "Bo van Dyck", None]},
         [{"kind": "split-names", "column": "n"}, {"kind": "drop-columns", "columns": ["n", "n_title", "n_middle", "n_suffix"]}],
         {"n_given": ["Ada", "Bo", None], "n_family": ["Byron", "van Dyck", None]}),
    Wish("full name from two columns, a missing part left out", {"f": ["Ada", None], "l": ["Byron", "Moss"]},
         [{"kind": "merge-columns", "columns": ["f", "l"], "into": "name", "mark": " "}],
         {"f": ["Ada", None], "l": ["Byron", "Moss"], "name": ["Ada Byron", "Moss"]}),
    Wish("street abbreviations written out", {"s": ["12 Mill St.", "Oak Rd.", None]},
         [{"kind": "replace-several", "columns": ["s"], "pairs": _pairs(("St.", "Street"), ("Rd.", "Road"))}],
         {"s": ["12 Mill Street", "Oak Road", None]}),
    Wish("the domain of e-mail addresses", {"e": ["a@x.org", "b@Y.com", None]},
         [{"kind": "compute", "columns": ["domain"], "formula": "lower(after(e, '@'))"}],
         {"e": ["a@x.org", "b@Y.com", None], "domain": ["x.org", "y.com", None]}),
    Wish("initials", {"n": ["Ada King Byron", "Bo", None]},
         [{"kind": "compute", "columns": ["i"], "formula": "replace_pattern(n, '(\\w)\\w*\\s*', '\\1')"}],
         {"n": ["Ada King Byron", "Bo", None], "i": ["AKB", "B", None]}),
    Wish("control characters and broken escapes out", {"a": ["a\u200bb", "x\\ty", None]},
         [{"kind": "remove-characters", "columns": ["a"], "characters": ["unseen"]}, {"kind": "decode", "columns": ["a"]}],
         {"a": ["ab", "x\ty", None]}),
    Wish("account numbers masked but for the last four", {"k": ["12345678", "99", None]},
         [{"kind": "mask", "columns": ["k"], "how": "last", "shown": 4}], {"k": ["****5678", "**", None]}),
    # missing values
    Wish("-, n/a and -999 stand for nothing", {"a": ["-", "n/a", "7"], "b": ["-999", "3", None]},
         [{"kind": "missing-tokens", "tokens": ["-", "n/a", "-999"]}], {"a": [None, None, "7"], "b": [None, "3", None]}),
    Wish("the department stands only on its first line", {"d": ["Sales", None, None, "IT", None], "n": list("abcde")},
         [{"kind": "fill", "columns": ["d"], "by_what": "previous"}],
         {"d": ["Sales", "Sales", "Sales", "IT", "IT"], "n": list("abcde")}),
    Wish("missing prices by the median of their group", {"g": list("aaab"), "p": ["1", "3", None, None]},
         [{"kind": "fill", "columns": ["p"], "by_what": "median", "groups": ["g"]}], {"g": list("aaab"), "p": ["1", "3", "2", None]}),
    Wish("mobile number, else the landline", {"m": [None, "2", None], "l": ["1", "9", None]},
         [{"kind": "fill", "columns": ["m"], "by_what": "other columns", "others": ["l"]}], {"m": ["1", "2", None], "l": ["1", "9", None]}),
    Wish("records without a key set apart", {"id": ["1", None, "3"], "x": ["a", "b", "c"]},
         [{"kind": "required", "columns": ["id"]}], {"id": ["1", "3"], "x": ["a", "c"]}, [2]),
    Wish("records with two or more answers missing removed", {"q1": ["1", None, None], "q2": ["2", "2", None], "q3": ["3", None, None]},
         [{"kind": "remove-incomplete", "columns": ["q1", "q2", "q3"], "least": 2}], {"q1": ["1"], "q2": ["2"], "q3": ["3"]}),
    # numbers
    Wish("German amounts as numbers", {"a": ["1.234,50", "-7,1", None]},
         [{"kind": "to-number", "columns": ["a"], "decimal": ",", "thousands": "."}], {"a": [1234.5, -7.1, None]}),
    Wish("amounts with a currency, those in brackets negative", {"a": ["$1,200", "($35.50)", None]},
         [{"kind": "to-number", "columns": ["a"], "thousands": ",", "units": ["$"], "brackets": True}],
         {"a": [1200.0, -35.5, None]}),
    Wish("per cent as a share", {"p": ["12 %", "7.5%", None]},
         [{"kind": "to-number", "columns": ["p"], "percent": "as a share"}], {"p": [0.12, 0.075, None]}),
    Wish("grams and kilograms to kilograms", {"w": ["500 g", "2 kg", None]},
         [{"kind": "to-number", "columns": ["w"], "units": ["g = 0.001", "kg"]}],
         {"w": [0.5, 2.0, None]}),
    Wish("commercial rounding to cents", {"a": ["1170.495", "2.344", None]},
         [{"kind": "round-numbers", "columns": ["a"], "places": 2}], {"a": ["1170.5", "2.34", None]}),
    Wish("halves to even", {"a": ["0.5", "1.5", "2.5", None]},
         [{"kind": "round-numbers", "columns": ["a"], "how": "half even"}], {"a": ["0", "2", "2", None]}),
    Wish("pH 74 is 7.4", {"ph": ["7.1", "74", "81", None]},
         [{"kind": "scale-values", "columns": ["ph"], "factor": 0.1, "low": "14", "high": "140"}], {"ph": ["7.1", "7.4", "8.1", None]}),
    Wish("ages into classes", {"age": ["3", "17", "40", None]},
         [{"kind": "bands", "columns": ["age"], "bands": [{"low": None, "high": 18, "label": "minor"}, {"low": 18, "high": None, "label": "adult"}]}],
         {"age": ["minor", "minor", "adult", None]}),
    Wish("values above the limit of the device cut", {"v": ["5", "120", None]},
         [{"kind": "limit-numbers", "columns": ["v"], "high": 100}], {"v": ["5", "100", None]}),
    Wish("net price from gross and rate", {"g": ["119", "107"], "r": ["19", "7"]},
         [{"kind": "compute", "columns": ["net"], "formula": "round(to_number(g) / (1 + to_number(r) / 100), 2)"}],
         {"g": ["119", "107"], "r": ["19", "7"], "net": [100.0, 100.0]}),
    Wish("amounts written with a comma and two places", {"a": ["1234.5", "7", None]},
         [{"kind": "write-numbers", "columns": ["a"], "places": 2, "decimal": ",", "thousands": "."}], {"a": ["1.234,50", "7,00", None]}),
    # dates
    Wish("dates of two forms", {"d": ["31.12.2023", "2024-01-05", None]},
         [{"kind": "to-date", "columns": ["d"], "formats": ["%d.%m.%Y", "%Y-%m-%d"]}], {"d": ["2023-12-31", "2024-01-05", None]}),
    Wish("days of a spreadsheet", {"d": ["45292", "45293", None]},
         [{"kind": "to-date", "columns": ["d"], "formats": ["%Y-%m-%d"], "serial_numbers": True}], {"d": ["2024-01-01", "2024-01-02", None]}),
    Wish("a date from year, month and day", {"y": ["2024", "2024"], "m": ["2", "13"], "d": ["29", "1"]},
         [{"kind": "date-from-parts", "year": "y", "month": "m", "day": "d", "into": "day", "drop": True}],
         {"day": ["2024-02-29"]}, [2]),
    Wish("the quarter", {"d": ["2024-05-05", None]},
         [{"kind": "date-part", "column": "d", "part": "quarter", "into": "q"}], {"d": ["2024-05-05", None], "q": [2, None]}),
    Wish("days from order to delivery", {"o": ["2024-02-27", None], "l": ["2024-03-01", "2024-03-01"]},
         [{"kind": "difference", "first": "o", "second": "l", "into": "days"}],
         {"o": ["2024-02-27", None], "l": ["2024-03-01", "2024-03-01"], "days": [3.0, None]}),
    Wish("delivery before the order is set apart", {"o": ["2024-02-27", "2024-03-05"], "l": ["2024-03-01", "2024-03-01"]},
         [{"kind": "compare-columns", "columns": ["o"], "sign": "<=", "other": "l"}], {"o": ["2024-02-27"], "l": ["2024-03-01"]}, [2]),
    Wish("one line for each day of a booking", {"r": ["a"], "in": ["2024-02-28"], "out": ["2024-03-01"]},
         [{"kind": "spread-period", "start": "in", "end": "out", "into": "night"}, {"kind": "drop-columns", "columns": ["in", "out"]}],
         {"r": ["a", "a", "a"], "night": ["2024-02-28", "2024-02-29", "2024-03-01"]}),
    Wish("dates written the German way", {"d": ["2024-03-07", None]},
         [{"kind": "to-date", "columns": ["d"], "formats": ["%Y-%m-%d"]}, {"kind": "write-dates", "columns": ["d"], "form": "%d.%m.%Y"}],
         {"d": ["07.03.2024", None]}),
    Wish("month and day exchanged outside the year", {"d": ["2024-03-02", "2024-12-01", None]},
         [{"kind": "exchange-day-month", "columns": ["d"], "format": "%Y-%m-%d", "low": "2024-01-01", "high": "2024-06-30"}],
         {"d": ["2024-03-02", "2024-01-12", None]}),
    # records
    Wish("repeated records once", {"a": ["1", "1", "2", None], "b": ["x", "x", "x", None]},
         [{"kind": "remove-duplicates", "columns": ["a", "b"]}], {"a": ["1", "2", None], "b": ["x", "x", None]}),
    Wish("of each customer the newest record", {"c": ["1", "1", "2"], "d": ["2024-01-01", "2024-02-01", "2024-01-01"]},
         [{"kind": "sort-records", "keys": [{"column": "d", "descending": True}]}, {"kind": "remove-duplicates", "columns": ["c"]}],
         {"c": ["1", "2"], "d": ["2024-02-01", "2024-01-01"]}),
    Wish("lines of totals and repeated headers out", {"a": ["x", "a", "Total", "y"]},
         [{"kind": "remove-headers"}, {"kind": "remove-where", "columns": ["a"], "values": ["Total"]}], {"a": ["x", "y"]}),
    Wish("one record per keyword", {"k": ["red|blue", None, "green"], "n": ["1", "2", "3"]},
         [{"kind": "break-cells", "column": "k", "mark": "|"}], {"k": ["red", "blue", None, "green"], "n": ["1", "1", "2", "3"]}),
    Wish("keywords of a customer in one cell", {"c": ["1", "1", "2"], "k": ["red", "blue", "red"]},
         [{"kind": "join-records", "column": "k", "mark": ", ", "groups": ["c"]}], {"c": ["1", "2"], "k": ["red, blue", "red"]}),
    Wish("test customers removed", {"n": ["Ann", "test 1", "TEST", None]},
         [{"kind": "remove-fitting", "formula": "lower(n) like 'test%'"}], {"n": ["Ann", None]}),
    Wish("empty lines and the first two out", {"a": ["Report", "of May", "1", None, "2"], "b": ["", "", "x", None, "y"]},
         [{"kind": "remove-first", "count": 2}, {"kind": "remove-empty"}], {"a": ["1", "2"], "b": ["x", "y"]}),
    # tables
    Wish("monthly columns to lines", {"s": ["a", "b"], "jan": ["1", None], "feb": ["2", "3"]},
         [{"kind": "columns-to-records", "columns": ["jan", "feb"], "names": "month", "values": "v"}],
         {"s": ["a", "a", "b"], "month": ["jan", "feb", "feb"], "v": ["1", "2", "3"]}),
    Wish("lines to columns", {"s": ["a", "a", "b"], "q": ["x", "y", "x"], "v": ["1", "2", "3"]},
         [{"kind": "records-to-columns", "keys": ["s"], "names": "q", "values": "v", "into": ["x", "y"]}],
         {"s": ["a", "b"], "x": ["1", "3"], "y": ["2", None]}),
    Wish("sales per shop", {"s": ["a", "b", "a"], "v": ["1.5", "2", "3"]},
         [{"kind": "summarise", "groups": ["s"], "measures": [{"what": "sum", "column": "v", "name": "total"}, {"what": "records", "name": "n"}]}],
         {"s": ["a", "b"], "total": [4.5, 2.0], "n": [2, 1]}),
    Wish("the region from the table of shops; unknown shops set apart", {"s": ["1", "9"]},
         [{"kind": "look-up", "reference": "shops", "keys": _pairs(("s", "id")), "take": ["region"], "unmatched": "quarantine"}],
         {"s": ["1"], "region": ["north"]}, [2], {"shops": {"id": ["1", "2"], "region": ["north", "south"]}}),
    Wish("shops without sales too", {"s": ["1"], "v": ["5"]},
         [{"kind": "look-up", "reference": "shops", "keys": _pairs(("s", "id")), "take": ["region"]},
          {"kind": "append-table", "reference": "named", "keys": _pairs(("s", "s"))}],
         {"s": ["1", "2"], "v": ["5", None], "region": ["north", "south"]}, [],
         {"shops": {"id": ["1", "2"], "region": ["north", "south"]}, "named": {"s": ["1", "2"], "region": ["north", "south"]}}),
    Wish("the price that was valid on the day", {"d": ["2024-01-15", "2024-02-02"]},
         [{"kind": "look-up-by-size", "reference": "prices", "column": "d", "compared": "dates", "low": "from", "high": "to", "take": ["price"]}],
         {"d": ["2024-01-15", "2024-02-02"], "price": ["10", "12"]}, [],
         {"prices": {"from": ["2024-01-01", "2024-02-01"], "to": ["2024-01-31", None], "price": ["10", "12"]}}),
    Wish("the rate of the last banking day", {"d": ["2024-03-03"]},
         [{"kind": "look-up-by-size", "reference": "rates", "column": "d", "compared": "dates", "how": "at or before", "theirs": "day", "take": ["rate"]}],
         {"d": ["2024-03-03"], "rate": ["1.1"]}, [], {"rates": {"day": ["2024-03-01", "2024-03-04"], "rate": ["1.1", "1.2"]}}),
    # over groups
    Wish("each shop's share of the sales of its region", {"r": ["n", "n", "s"], "v": ["1", "3", "5"]},
         [{"kind": "to-number", "columns": ["v"]}, {"kind": "compute", "columns": ["share"], "formula": "v / sum(v) over (partition by r)"}],
         {"r": ["n", "n", "s"], "v": [1.0, 3.0, 5.0], "share": [0.25, 0.75, 1.0]}),
    Wish("the three best of each class", {"c": ["p"] * 4 + ["q"], "v": ["1", "4", "2", "3", "9"]},
         [{"kind": "compute", "columns": ["rank"], "formula": "rank() over (partition by c order by to_number(v) desc)"},
          {"kind": "remove-fitting", "formula": "rank > 3"}],
         {"c": ["p", "p", "p", "q"], "v": ["4", "2", "3", "9"], "rank": [1.0, 3.0, 2.0, 1.0]}),
    Wish("consumption from meter readings", {"m": ["a", "a", "b"], "d": ["2024-01-02", "2024-01-01", "2024-01-01"], "z": ["15", "10", "7"]},
         [{"kind": "to-number", "columns": ["z"]}, {"kind": "compute", "columns": ["use"], "formula": "z - lag(z) over (partition by m order by d)"}],
         {"m": ["a", "a", "b"], "d": ["2024-01-02", "2024-01-01", "2024-01-01"], "z": [15.0, 10.0, 7.0], "use": [5.0, None, None]}),
    # codes and columns
    Wish("codes to words; others set apart", {"g": ["f", "m", "x", None]},
         [{"kind": "translate", "columns": ["g"], "codes": _pairs(("f", "female"), ("m", "male")), "others": "quarantine"}],
         {"g": ["female", "male", None]}, [3]),
    Wish("yes and no as true and false", {"a": ["Yes", "no", None]},
         [{"kind": "to-truth", "columns": ["a"]}], {"a": [True, False, None]}),
    Wish("columns named as in the warehouse and in its order", {"Kd-Nr": ["1"], "Name": ["Ann"]},
         [{"kind": "rename-columns", "names": _pairs(("Kd-Nr", "customer_id"), ("Name", "name"))},
          {"kind": "order-columns", "columns": ["name"], "place": "first"}], {"name": ["Ann"], "customer_id": ["1"]}),
    # checks
    Wish("a negative quantity is no quantity", {"q": ["1", "-2", None]},
         [{"kind": "in-range", "columns": ["q"], "low": "0"}], {"q": ["1", None]}, [2]),
    Wish("customer numbers occur once", {"c": ["1", "2", "1", None]},
         [{"kind": "unique", "columns": ["c"]}], {"c": ["2", None]}, [1, 3]),
    Wish("order numbers look like A-0000", {"o": ["A-0001", "a-1", None]},
         [{"kind": "matches-pattern", "columns": ["o"], "pattern": "[A-Z]-[0-9]{4}"}], {"o": ["A-0001", None]}, [2]),
    Wish("net and tax make gross", {"n": ["100", "100"], "t": ["19", "19"], "g": ["119", "118"]},
         [{"kind": "holds", "columns": ["g"], "formula": "to_number(n) + to_number(t) = to_number(g)"}],
         {"n": ["100"], "t": ["19"], "g": ["119"]}, [2]),
    Wish("a company only where there is a tax number", {"c": ["Weir Ltd", "Oak", None], "t": ["1", None, None]},
         [{"kind": "required", "columns": ["t"], "when": "c is not null"}], {"c": ["Weir Ltd", None], "t": ["1", None]}, [2]),
    Wish("outliers per station noted for the analyst", {"s": ["a"] * 8, "v": ["5", "5", "6", "5", "6", "5", "6", "90"]},
         [{"kind": "outlier-fence", "columns": ["v"], "groups": ["s"]}], {"s": ["a"] * 7, "v": ["5", "5", "6", "5", "6", "5", "6"]}, [8]),
]  # fmt: skip
