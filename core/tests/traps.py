"""Small files, each a trap, with what a careful person would read in them. Written by hand, not by the program."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, datetime
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import xlsxwriter
import xlwt

Cells = tuple[str | None, ...]


@dataclass(frozen=True)
class Trap:
    """A file, how it is to be read (`asked`: what a person would override), and what comes out.

    `rejected`: line and a part of the reason; `apart`: lines that are neither records nor rejected, by sort;
    `lines`: physical lines (rows, elements) in all; `settings`: those that matter here.
    """

    data: bytes
    columns: tuple[str, ...]
    records: list[Cells]
    lines: int
    rejected: list[tuple[int, str]] = field(default_factory=list)
    settings: dict[str, Any] = field(default_factory=dict)
    apart: dict[str, int] = field(default_factory=dict)
    asked: dict[str, Any] = field(default_factory=dict)
    name: str = "file.txt"
    table: str = ""


AB = ("a", "b")
TEXT = {
    "pipe": Trap(b"id|v\n1|x\n2|\n", ("id", "v"), [("1", "x"), ("2", "")], 3, settings={"delimiter": "|"}),
    "semicolon, decimal commas": Trap(
        b"a;b\n1,5;2\n2,5;3,25\n", AB, [("1,5", "2"), ("2,5", "3,25")], 3, settings={"delimiter": ";"}),
    "tab": Trap(b"a\tb\n1\t2\n", AB, [("1", "2")], 2, settings={"delimiter": "\t"}),
    "caret": Trap(b"a^b\n1^2\n3^4\n", AB, [("1", "2"), ("3", "4")], 3, settings={"delimiter": "^"}),
    "two pipes": Trap(b"a||b\n1||2|x\n3||4\n", AB, [("1", "2|x"), ("3", "4")], 3, asked={"delimiter": "||"}),
    "two pipes, detected": Trap(b"a||b||c\n1||2||3\n4||||6\n", ("a", "b", "c"), [("1", "2", "3"), ("4", "", "6")], 3,
                                settings={"delimiter": "||"}),
    "four marks": Trap(b"a<|~|>b\n1<|~|>x<y\n", AB, [("1", "x<y")], 2, asked={"delimiter": "<|~|>"}),
    "long delimiter in quotes": Trap(b'a::b\n"1::2"::3\n', AB, [("1::2", "3")], 2, settings={"delimiter": "::"}),
    "unit separator": Trap(b"a\x1fb\n1\x1f2\n3\x1f4\n", AB, [("1", "2"), ("3", "4")], 3, settings={"delimiter": "\x1f"}),
    "space": Trap(b"a b\n1 2\n3 4\n", AB, [("1", "2"), ("3", "4")], 3, settings={"delimiter": " "}),
    "crlf": Trap(b"a,b\r\n1,2\r\n3,4\r\n", AB, [("1", "2"), ("3", "4")], 3),
    "old line ends": Trap(b"a,b\r1,2\r3,4\r", AB, [("1", "2"), ("3", "4")], 3),
    "mixed line ends": Trap(b"a,b\n1,2\r\n3,4\r5,6\n", AB, [("1", "2"), ("3", "4"), ("5", "6")], 4),
    "carriage return inside": Trap(b"a,b\n1,x\ry\n2,z\n", AB, [("1", "x\ry"), ("2", "z")], 3, asked={"line_end": "\n"}),
    "line feed inside": Trap(b"a,b\r\n1,x\ny\r\n2,z\r\n", AB, [("1", "x\ny"), ("2", "z")], 3, asked={"line_end": "\r\n"}),
    "no end": Trap(b"a,b\n1,2", AB, [("1", "2")], 2),
    "next line mark is text": Trap("a,b\n1,x\u0085y\u2028z\n".encode(), AB, [("1", "x\u0085y\u2028z")], 2),
    "form feed is text": Trap(b"a,b\n1,x\x0cy\n2,z\n", AB, [("1", "x\x0cy"), ("2", "z")], 3),
    "quoted delimiter": Trap(b'a|b\n1|"x|y"\n', AB, [("1", "x|y")], 2),
    "quoted line end": Trap(b'a,b\n1,"x\ny"\n2,z\n', AB, [("1", "x\ny"), ("2", "z")], 4),
    "quoted crlf": Trap(b'a,b\r\n1,"x\r\ny"\r\n2,z\r\n', AB, [("1", "x\r\ny"), ("2", "z")], 4),
    "doubled quotes": Trap(b'a,b\n1,"say ""x"""\n', AB, [("1", 'say "x"')], 2),
    "quoted empty": Trap(b'a,b\n1,""\n2,\n', AB, [("1", ""), ("2", "")], 3),
    "single quotes": Trap(b"a,b\n'1','x,y'\n'2','z'\n'3','w'\n", AB, [("1", "x,y"), ("2", "z"), ("3", "w")], 4,
                          settings={"quote": "'"}),
    "inches": Trap(b'a;b\n1;6" pipe\n2;x\n', AB, [("1", '6" pipe'), ("2", "x")], 3),
    "no quoting": Trap(b'a,b\n1,"x\n2,"y\n', AB, [("1", '"x'), ("2", '"y')], 3, asked={"quote": ""}),
    "backslash escapes": Trap(b'a,b,c\n1,"x\\",y",z\n2,"\\"q\\"",w\n', ("a", "b", "c"), [("1", 'x",y', "z"), ("2", '"q"', "w")], 3,
                              settings={"escape": "\\"}),
    "escaped delimiter": Trap(b"a,b\n1,x\\,y\n2,z\\,w\n3,v\\,u\n", AB, [("1", "x,y"), ("2", "z,w"), ("3", "v,u")], 4,
                              asked={"escape": "\\", "header_rows": 1}),
    "backslashes of paths": Trap(b"a,b\n1,c:\\x\n2,c:\\y\n", AB, [("1", "c:\\x"), ("2", "c:\\y")], 3, settings={"escape": ""}),
    "spaces kept": Trap(b'a,b\n 1 , x\n2,"y "\n', AB, [(" 1 ", " x"), ("2", "y ")], 3),
    "space before quote": Trap(b'a,b\n1, "x"\n2,y\n', AB, [("1", ' "x"'), ("2", "y")], 3),
    "the word NULL": Trap(b"a,b\n1,NULL\n2,\\N\n", AB, [("1", "NULL"), ("2", "\\N")], 3),
    "long digits": Trap(b"a,b\n00417,12345678901234567890\n2,0012\n", AB, [("00417", "12345678901234567890"), ("2", "0012")], 3),
    "bom": Trap(b"\xef\xbb\xbfa,b\n1,2\n", AB, [("1", "2")], 2),
    "bom before quotes": Trap(b'\xef\xbb\xbf"a","b"\n1,2\n', AB, [("1", "2")], 2),
    "utf-16": Trap("a;b\n1;ü\n".encode("utf-16"), AB, [("1", "ü")], 2),
    "utf-16 big endian, no mark": Trap("abc;b\n1;2\n3;x\n".encode("utf-16-be"), ("abc", "b"), [("1", "2"), ("3", "x")], 3,
                                       settings={"encoding": "utf-16-be"}),
    "utf-32": Trap("a;b\n1;ü\n".encode("utf-32"), AB, [("1", "ü")], 2),
    "utf-32, no mark": Trap("a;b\n1;2\n3;4\n".encode("utf-32-le"), AB, [("1", "2"), ("3", "4")], 3,
                            settings={"encoding": "utf-32-le"}),
    "half a surrogate in utf-16": Trap("a;b\n1;x\n2;".encode("utf-16-le") + b"\x00\xd8" + "\n3;y\n".encode("utf-16-le"),
                                       AB, [("1", "x"), ("3", "y")], 4, [(3, "not valid")], asked={"encoding": "utf-16-le"}),
    "latin": Trap("a;b\n1;Müll\n2;x\n".encode("cp1252"), AB, [("1", "Müll"), ("2", "x")], 3, settings={"encoding": "cp1252"}),
    "euro sign": Trap("a;b\n1;5 €\n2;ß\n".encode("cp1252"), AB, [("1", "5 €"), ("2", "ß")], 3, settings={"encoding": "cp1252"}),
    "undefined in cp1252": Trap(b"a;b\n1;\xfcber\n2;\x81x\n3;\x80\n", AB, [("1", "über"), ("3", "€")], 4, [(3, "not valid")],
                                asked={"encoding": "cp1252"}),
    "cyrillic": Trap("a;b\n1;вода мутная\n2;лёд и снег\n3;река полна\n".encode("cp1251"), AB,
                     [("1", "вода мутная"), ("2", "лёд и снег"), ("3", "река полна")], 4, asked={"encoding": "cp1251"}),
    "damaged utf-8": Trap("a,b\n1,é\n2,ü\n3,ö\n".encode() + b"4,\xff\n", AB, [("1", "é"), ("2", "ü"), ("3", "ö")], 5,
                          [(5, "not valid")], settings={"encoding": "utf-8"}),
    "cut off in a character": Trap("a,b\n1,é\n2,ü\n3,ö\n4,ä".encode()[:-1], AB, [("1", "é"), ("2", "ü"), ("3", "ö")], 5,
                                   [(5, "not valid")]),
    "noncharacters": Trap("a||b\n1||\ufdd0\ufdd1x\n".encode(), AB, [("1", "\ufdd0\ufdd1x")], 2, asked={"delimiter": "||"}),
    "preamble": Trap(b"Report\n\na;b\n1;2\n3;4\n", AB, [("1", "2"), ("3", "4")], 5, settings={"skip_lines": 2},
                     apart={"preamble": 2}),
    "preamble with delimiters": Trap(b"Lab;North\nfrom\na;b;c\n1;2;3\n4;5;6\n", ("a", "b", "c"), [("1", "2", "3"), ("4", "5", "6")],
                                     5, settings={"skip_lines": 2}),
    "first record over two lines": Trap(b'1,"x\ny"\n2,z\n3,w\n', ("column_1", "column_2"), [("1", "x\ny"), ("2", "z"), ("3", "w")],
                                        4, settings={"header_rows": 0, "skip_lines": 0}),
    "comments": Trap(b"# made by us\na,b\n1,2\n# pause\n3,4\n", AB, [("1", "2"), ("3", "4")], 5, settings={"comment": "#"},
                     apart={"comments": 2}),
    "a hash is no comment": Trap(b"#id,b\n1,2\n#3,4\n", ("#id", "b"), [("1", "2"), ("#3", "4")], 3, settings={"comment": ""}),
    "comment mark in quotes": Trap(b'a,b\n1,"x\n# y"\n# z\n2,w\n', AB, [("1", "x\n# y"), ("2", "w")], 5, asked={"comment": "#"},
                                   apart={"comments": 1}),
    "a line that says the delimiter": Trap(b"sep=;\r\na;b\r\n1;2\r\n", AB, [("1", "2")], 3, settings={"skip_lines": 1}),
    "times are not cut": Trap(b"09:40\n10:20\n11:00\n", ("column_1",), [("09:40",), ("10:20",), ("11:00",)], 3),
    "names are not cut": Trap(b"full name\nAnn Lee\nBo Fox\n", ("full name",), [("Ann Lee",), ("Bo Fox",)], 3),
    "lines before the header, filled up": Trap(
        b"Station:;0042;;\n;;;\nid;ph;temp;note\n1;7.1;5;ok\n2;7.2;6;ok\n", ("id", "ph", "temp", "note"),
        [("1", "7.1", "5", "ok"), ("2", "7.2", "6", "ok")], 5, settings={"skip_lines": 2}),
    "decimal commas in one column": Trap(b"value\n1,5\n2,5\n3,75\n", ("value",), [("1,5",), ("2,5",), ("3,75",)], 4),
    "years as names": Trap(b"site,2021,2022,2023\nA,1,2,3\nB,4,5,6\n", ("site", "2021", "2022", "2023"),
                           [("A", "1", "2", "3"), ("B", "4", "5", "6")], 3, settings={"header_rows": 1}),
    "lists in a text": Trap(b"id,text\n1,a; b; c\n2,d; e; f\n3,g; h; i\n", ("id", "text"),
                            [("1", "a; b; c"), ("2", "d; e; f"), ("3", "g; h; i")], 4, settings={"delimiter": ","}),
    "codes without header": Trap(b"WQ-01;north\nWQ-02;south\nWQ-03;east\n", ("column_1", "column_2"),
                                 [("WQ-01", "north"), ("WQ-02", "south"), ("WQ-03", "east")], 3, settings={"header_rows": 0}),
    "no header": Trap(b"1;2\n3;4\n", ("column_1", "column_2"), [("1", "2"), ("3", "4")], 2, settings={"header_rows": 0}),
    "header only": Trap(b"a|b\n", AB, [], 1),
    "two header rows": Trap(b"site,temp,ph\n,C,units\nX,7.1,8\nY,7.2,9\n", ("site", "temp C", "ph units"),
                            [("X", "7.1", "8"), ("Y", "7.2", "9")], 4, settings={"header_rows": 2}),
    "grouped header": Trap(b"site;upper;;lower;\n;ph;temp;ph;temp\nX;1;2;3;4\nY;5;6;7;8\n",
                           ("site", "upper ph", "upper temp", "lower ph", "lower temp"),
                           [("X", "1", "2", "3", "4"), ("Y", "5", "6", "7", "8")], 4, settings={"header_rows": 2}),
    "repeated header": Trap(b"a,b\n1,2\na,b\n3,4\n", AB, [("1", "2"), ("3", "4")], 4, apart={"repeated": 1}),
    "repeated header wanted": Trap(b"a,b\n1,2\na,b\n", AB, [("1", "2"), ("a", "b")], 3, asked={"repeated_header": False}),
    "trailing delimiter": Trap(b"a;b;\n1;2;\n3;4;\n", AB, [("1", "2"), ("3", "4")], 3, settings={"trailing_delimiter": True}),
    "trailing delimiter, not in the header": Trap(b"a;b\n1;2;\n3;4;\n5;6;\n", AB, [("1", "2"), ("3", "4"), ("5", "6")], 4,
                                                  settings={"trailing_delimiter": True}),
    "value after the last delimiter": Trap(b"a;b;\n1;2;\n3;4;x\n5;6;\n", AB, [("1", "2"), ("5", "6")], 4, [(3, "3 fields")],
                                           asked={"trailing_delimiter": True}),
    "empty last column": Trap(b"a;b;c\n1;2;\n3;4;\n", ("a", "b", "c"), [("1", "2", ""), ("3", "4", "")], 3,
                              settings={"trailing_delimiter": False}),
    "totals line": Trap(b"a;b\nx;2\ny;4\nTotal;6\n", AB, [("x", "2"), ("y", "4")], 4, settings={"totals_line": True},
                        apart={"totals": 1}),
    "ragged totals line": Trap(b"a;b;c\nx;2;3\ny;4;5\nrecords: 2\n\n", ("a", "b", "c"), [("x", "2", "3"), ("y", "4", "5")], 5,
                               [(5, "empty")], settings={"totals_line": True}, apart={"totals": 1}),
    "a total that is a record": Trap(b"a;b\nx;2\nTotally;4\n", AB, [("x", "2"), ("Totally", "4")], 3,
                                     settings={"totals_line": False}),
    "one column": Trap(b"x\n1\n\n3\n", ("x",), [("1",), ("",), ("3",)], 4),
    "texts with commas": Trap(b"note\nhello, you\nfoo\nbar, baz\n", ("note",), [("hello, you",), ("foo",), ("bar, baz",)], 4),
    "names alike": Trap(b"a,A,,a\n1,2,3,4\n", ("a", "A_2", "column_3", "a_3"), [("1", "2", "3", "4")], 2),
    "reserved names": Trap(b"__record,b\n1,2\n", ("column__record", "b"), [("1", "2")], 2),
    "ragged": Trap(b"a,b\n1\n2,3\n4,5,6\n", AB, [("2", "3")], 4, [(2, "1 field,"), (4, "3 fields")]),
    "blank lines": Trap(b"a,b\n1,2\n\n3,4\n\n", AB, [("1", "2"), ("3", "4")], 5, [(3, "empty"), (5, "empty")]),
    "open quote": Trap(b'a,b\n1,"x\n2,y\n3,z\n', AB, [("2", "y"), ("3", "z")], 4, [(2, "not closed")]),
    "open quote at the end": Trap(b'a,b\n1,x\n2,"y\n', AB, [("1", "x")], 3, [(3, "not closed")]),
    "text after quote": Trap(b'a,b\n1,"x"y\n2,z\n', AB, [("2", "z")], 3, [(2, "after a closing")]),
    "nul": Trap(b"a,b\n1,2\n3,\x004\n", AB, [("1", "2")], 3, [(3, "NUL")]),
    "huge field": Trap(b'a,b\n1,"' + b"x" * 300_000 + b'"\n2,y\n', AB, [("1", "x" * 300_000), ("2", "y")], 3),
    "formulas are text": Trap(b"a,b\n1,=1+1\n2,@x\n", AB, [("1", "=1+1"), ("2", "@x")], 3),
    "chosen columns": Trap(b"a,b,c\n1,2,3\n", ("x", "c"), [("1", "3")], 2, asked={"columns": {"a": "x", "b": None}}),
    "facts": Trap(b"a\n1\n2\n", ("a", "lab", "from"), [("1", "North", "file.txt"), ("2", "North", "file.txt")], 3,
                  asked={"facts": {"lab": "North"}, "source_column": "from", "header_rows": 1}),
}  # fmt: skip

FIXED = {
    "fixed width": Trap(b"site    temp  note\n0042     7.1  clear water\n0079    12.4  low\n0116     9.0\n",
                        ("site", "temp", "note"), [("0042", "7.1", "clear water"), ("0079", "12.4", "low"), ("0116", "9.0", "")],
                        4, settings={"borders": (8, 14), "format": "fixed width"}),
    "fixed width below a title": Trap(
        b"Gauges\n\nid    level_cm  note\n" + b"".join(b"M-%02d     %5.1f  ok\n" % (n, 90 + n) for n in range(30)) + b"brokenline that crosses\n",
        ("id", "level_cm", "note"), [(f"M-{n:02d}", f"{90 + n:.1f}", "ok") for n in range(30)], 34, [(34, "across")],
        settings={"borders": (6, 16), "skip_lines": 2, "format": "fixed width"}, apart={"preamble": 2}),
    "packed, borders by hand": Trap(b"0042071clear\n0079124low\n\n", ("column_1", "column_2", "column_3"),
                                    [("0042", "071", "clear"), ("0079", "124", "low")], 3, [(3, "empty")],
                                    asked={"format": "fixed width", "borders": [4, 7], "header_rows": 0}),
    "text across a border": Trap(b"id   name   v\n1    Alder  2\n2    Bram   3\n3    Brambles  x\n4    Elver  5\n",
                                 ("id", "name", "v"), [("1", "Alder", "2"), ("2", "Bram", "3"), ("4", "Elver", "5")], 5,
                                 [(4, "across")], settings={"gaps": True},
                                 asked={"format": "fixed width", "borders": [5, 12], "header_rows": 1}),
}  # fmt: skip

JSON = {
    "list of objects": Trap(b'[{"a": 1.50, "b": "x"}, {"b": null, "a": 2e5}]', AB, [("1.50", "x"), ("2e5", None)], 2,
                            settings={"format": "json", "records_at": ""}),
    "nested": Trap(b'[{"a": {"x": 1, "y": {"z": true}}, "b": []}, {"a": {"x": 2}}]', ("a.x", "a.y.z", "b"),
                   [("1", "true", "[]"), ("2", None, None)], 2),
    "list kept": Trap('[{"a": ["ü", 1.0, {"k": null}]}]'.encode(), ("a",), [('["ü", 1.0, {"k": null}]',)], 1),
    "list exploded": Trap(b'[{"id": 1, "r": [{"v": 1}, {"v": 2}]}, {"id": 2, "r": []}]', ("id", "r.v", "r"),
                          [("1", "1", None), ("1", "2", None), ("2", None, "[]")], 2, asked={"explode": "r"}),
    "records inside": Trap(b'{"meta": {"n": 2}, "data": {"rows": [{"a": 1}, {"a": 2}]}}', ("a",), [("1",), ("2",)], 2,
                           settings={"records_at": "data.rows"}),
    "one object": Trap(b'{"a": 1,\n "b": {"c": "x"}}', ("a", "b.c"), [("1", "x")], 1),
    "late field": Trap(b'[{"a": 1}, {"a": 2, "z": 3}]', ("a", "z"), [("1", None), ("2", "3")], 2),
    "lines": Trap(b'{"a": 1}\n{"a": "x"}\n', ("a",), [("1",), ("x",)], 2, settings={"records_at": "(lines)"}),
    "broken line": Trap(b'{"a": 1}\n{"a": 2\n\n{"a": 3}\n', ("a",), [("1",), ("3",)], 4, [(2, "not JSON"), (3, "empty")],
                        asked={"records_at": "(lines)", "format": "json"}),
    "a name twice": Trap(b'[{"a": 1, "a": 2}, {"a": 3}]', ("a",), [("3",)], 2, [(1, "given twice")]),
    "cut off": Trap(b'[{"a": 1}, {"a": 2}, {"a"', ("a",), [("1",), ("2",)], 3, [(3, "not JSON")]),
    "half a surrogate": Trap(b'[{"a": "\\ud800"}, {"a": "x"}]', ("a",), [("x",)], 2, [(1, "surrogate")]),
    "large numbers": Trap(b'[{"a": 12345678901234567890123, "b": 0.1000}]', AB, [("12345678901234567890123", "0.1000")], 1),
}  # fmt: skip

HTML = {
    "page": Trap(
        b"<html><body><h2>Sites</h2><table><tr><th>a</th><th>b</th></tr><tr><td> 0042 </td><td>112&nbsp;\xc2\xb1 3</td></tr>"
        b"<tr><th>a</th><th>b</th></tr><tr><td>7</td><td>x<br>y</td></tr></table></body></html>",
        AB, [("0042", "112\u00a0± 3"), ("7", "x\ny")], 4, settings={"format": "html", "header_rows": 1}, apart={"repeated": 1}),
    "spans": Trap(
        b"<table><tr><th rowspan=2>site</th><th colspan=2>upper</th></tr><tr><th>ph</th><th>t</th></tr>"
        b"<tr><td rowspan=2>A</td><td>1</td><td>2</td></tr><tr><td>3</td><td>4</td></tr></table>",
        ("site", "upper ph", "upper t"), [("A", "1", "2"), ("A", "3", "4")], 4, settings={"header_rows": 2}),
    "ragged rows": Trap(b"<table><thead><tr><th>a<th>b</thead><tr><td>1<td>2<tr><td>3</table>", AB, [("1", "2")], 3,
                        [(3, "1 cells")]),
    "second table": Trap(
        b"<p>x</p><table><tr><td>menu</td></tr></table><table><caption>Levels</caption><tr><th>a<th>b<tr><td>1<td>2</table>",
        AB, [("1", "2")], 2, table="Levels"),
    "scripts and inner tables": Trap(
        b"<table><tr><th>a<th>b</tr><tr><td>1<script>x()</script><td>2<table><tr><td>no</table></table>", AB, [("1", "2")], 2,
        table="table 1"),
    "latin page": Trap("<html><meta charset=iso-8859-1><table><tr><th>a<th>b<tr><td>ü<td>1</table>".encode("latin-1"), AB,
                       [("ü", "1")], 2),
}  # fmt: skip


def _xlsx(fill: Callable[[Any, Any], None], more: Callable[[Any], None] | None = None) -> bytes:
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out)
    fill(book, book.add_worksheet("One"))
    if more:
        more(book)
    book.close()
    return out.getvalue()


def _plain(book: Any, sheet: Any) -> None:
    sheet.write_row(0, 0, ["a", "b", "c"])
    sheet.write_row(1, 0, ["0042", 7.4, 12])
    sheet.write_row(2, 0, ["x", 0.1, True])


def _dates(book: Any, sheet: Any) -> None:
    sheet.write_row(0, 0, ["a", "b", "c"])
    sheet.write_datetime(1, 0, datetime(2024, 10, 5), book.add_format({"num_format": "dd-mmm"}))
    sheet.write_datetime(1, 1, datetime(2024, 3, 1, 9, 30), book.add_format({"num_format": "yyyy-mm-dd hh:mm"}))
    sheet.write_number(1, 2, 45570)


def _errors(book: Any, sheet: Any) -> None:
    sheet.write_row(0, 0, ["a", "b"])
    sheet.write_formula(1, 0, "=1/0", None, "#DIV/0!")
    sheet.write(1, 1, 2)
    sheet.write(2, 0, 3)
    sheet.write_formula(2, 1, "=NA()", None, "#N/A")


def _merged(book: Any, sheet: Any) -> None:
    sheet.write_row(0, 0, ["team", "v"])
    sheet.merge_range(1, 0, 2, 0, "upper")
    sheet.write(1, 1, 1)
    sheet.write(2, 1, 2)


def _placed(book: Any, sheet: Any) -> None:
    sheet.write(0, 0, "Lab Harbour")
    sheet.write_row(3, 1, ["a", "b"])
    sheet.write_row(4, 1, ["x", 1])
    sheet.write_row(6, 1, ["y", 2])


def _beside(book: Any, sheet: Any) -> None:
    sheet.write_row(0, 1, ["a", "b"])
    for row in range(1, 1301):
        sheet.write_row(row, 1, [f"x{row}", row])
    sheet.write(1200, 3, "far below, beside the table")


def _shown(book: Any, sheet: Any) -> None:
    sheet.write_row(0, 0, ["a", "b", "c"])
    sheet.write_number(1, 0, 0.05, book.add_format({"num_format": "0%"}))
    sheet.write_number(1, 1, 24000000, book.add_format({"num_format": "0.0E+00"}))
    sheet.write_number(1, 2, 1234.5, book.add_format({"num_format": "#,##0.00"}))


def _xls() -> bytes:
    book = xlwt.Workbook()
    sheet = book.add_sheet("One")
    for column, name in enumerate(("a", "b", "c")):
        sheet.write(0, column, name)
    sheet.write(1, 0, 7.4)
    sheet.write(1, 1, date(2024, 10, 5), xlwt.easyxf(num_format_str="yyyy-mm-dd"))
    sheet.write(1, 2, True)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


_ODS = """<?xml version="1.0"?><office:document-content
 xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"
 xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"
 xmlns:calcext="urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0"><office:body><office:spreadsheet>
 {tables}</office:spreadsheet></office:body></office:document-content>"""


def ods(rows: str) -> bytes:
    """An OpenDocument sheet around rows of XML."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("content.xml", _ODS.format(tables=f'<table:table table:name="One">{rows}</table:table>'))
    return out.getvalue()


def _ods_text(text: str) -> str:
    return f'<table:table-cell office:value-type="string"><text:p>{text}</text:p></table:table-cell>'


_ODS_ROWS = (
    f"<table:table-row>{_ods_text('a')}{_ods_text('b')}"
    '<table:table-cell table:number-columns-repeated="16000"/></table:table-row>'
    '<table:table-row><table:table-cell office:value-type="percentage" office:value="0.05"><text:p>5 %</text:p>'
    '</table:table-cell><table:table-cell office:value-type="date" office:date-value="2024-10-05"><text:p>05-Oct</text:p>'
    "</table:table-cell></table:table-row>"
    '<table:table-row><table:table-cell office:value-type="string" calcext:value-type="error"><text:p>#DIV/0!</text:p>'
    '</table:table-cell><table:table-cell office:value-type="float" office:value="12"><text:p>12</text:p></table:table-cell>'
    '</table:table-row><table:table-row table:number-rows-repeated="1048000"><table:table-cell/></table:table-row>'
)


def _two_sheets(book: Any) -> None:
    other = book.add_worksheet("Two")
    other.write_row(0, 0, ["c", "d"])
    other.write_row(1, 0, [5, 6])
    book.add_worksheet("Empty")
    book.add_worksheet("Secret").hide()


WORKBOOKS = {
    "workbook": Trap(_xlsx(_plain), ("a", "b", "c"), [("0042", "7.4", "12"), ("x", "0.1", "true")], 3,
                     settings={"format": "workbook", "header_rows": 1}),
    "second sheet": Trap(_xlsx(_plain, _two_sheets), ("c", "d"), [("5", "6")], 2, table="Two"),
    "date cells": Trap(_xlsx(_dates), ("a", "b", "c"), [("2024-10-05", "2024-03-01 09:30:00", "45570")], 2),
    "date cells as shown": Trap(_xlsx(_dates), ("a", "b", "c"), [("05-Oct", "2024-03-01 09:30", "45570")], 2, asked={"shown": True}),
    "error cells": Trap(_xlsx(_errors), AB, [("#DIV/0!", "2"), ("3", "#N/A")], 3, asked={"header_rows": 1}),
    "merged cells": Trap(_xlsx(_merged), ("team", "v"), [("upper", "1"), (None, "2")], 3),
    "merged cells filled": Trap(_xlsx(_merged), ("team", "v"), [("upper", "1"), ("upper", "2")], 3, asked={"fill_merged": True}),
    "title and blank rows": Trap(_xlsx(_placed), AB, [("x", "1"), ("y", "2")], 7, [(6, "empty")], asked={"cells": "B4:C"},
                                 apart={"preamble": 3}),
    "a cell beside the table": Trap(_xlsx(_beside), AB, [(f"x{n}", str(n)) for n in range(1, 1301) if n != 1200], 1301,
                                    [(1201, "beside the columns")]),
    "range": Trap(_xlsx(_placed), AB, [("x", "1")], 7, asked={"cells": "B4:C5"}, apart={"preamble": 3, "comments": 2}),
    "shown": Trap(_xlsx(_shown), ("a", "b", "c"), [("5%", "2.4E+07", "1,234.50")], 2, asked={"shown": True}),
    "held": Trap(_xlsx(_shown), ("a", "b", "c"), [("0.05", "24000000", "1234.5")], 2),
    "older workbook": Trap(_xls(), ("a", "b", "c"), [("7.4", "2024-10-05", "true")], 2, settings={"format": "workbook"}),
    "open document": Trap(ods(_ODS_ROWS), AB, [("0.05", "2024-10-05"), ("#DIV/0!", "12")], 3, asked={"header_rows": 1}),
    "open document as shown": Trap(ods(_ODS_ROWS), AB, [("5 %", "05-Oct"), ("#DIV/0!", "12")], 3,
                                   asked={"header_rows": 1, "shown": True}),
}  # fmt: skip


def parquet_bytes(folder: Path) -> bytes:
    """A Parquet file with a nested column, a missing value and a time."""
    table = pa.table({
        "a": pa.array([1, None], pa.int64()),
        "b": pa.array([[1, 2], []], pa.list_(pa.int64())),
        "c": pa.array([datetime(2024, 3, 1, 9, 30), None], pa.timestamp("us")),
    })  # fmt: skip
    pq.write_table(table, folder / "t.parquet")
    return (folder / "t.parquet").read_bytes()


def zipped(files: dict[str, bytes]) -> bytes:
    """A zip archive."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


def jsonl(rows: list[dict[str, Any]]) -> bytes:
    """JSON Lines."""
    return "".join(json.dumps(row) + "\n" for row in rows).encode()


TRAPS = {**TEXT, **FIXED, **JSON, **HTML, **WORKBOOKS}
