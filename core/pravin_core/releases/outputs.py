"""The records of a release as a file of a chosen form: which columns, in which order, and how delimited text is written."""

from __future__ import annotations

from pathlib import Path
from typing import Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator
from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.errors import RunError
from pravin_core.releases.workbook import write_workbook
from pravin_core.releases.writers import Format, delimited, write
from pravin_core.sql.statements import copy_to, read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables.types import DataType

OutputFormat = Literal[Format, "xlsx"]
DELIMITERS = {"comma": ",", "semicolon": ";", "tab": "\t", "bar": "|"}
ENCODINGS = {
    "utf-8": "utf-8",
    "utf-8 with mark": "utf-8-sig",
    "windows-1252": "cp1252",
    "iso-8859-1": "latin-1",
    "utf-16": "utf-16",
}
DATES = {"2024-03-17": "%Y-%m-%d", "17.03.2024": "%d.%m.%Y", "03/17/2024": "%m/%d/%Y", "20240317": "%Y%m%d"}
_PIECE = 2**20  # characters that are written anew at once
_DECIMALS = (DataType.DECIMAL, DataType.EXACT)


class OutputForm(BaseModel):
    """How a file is written. `columns` in their order, empty for all. What follows is said of delimited text (csv) only."""

    model_config = ConfigDict(frozen=True)

    form: OutputFormat = "csv"
    columns: tuple[str, ...] = Field((), max_length=5000)
    defused: bool = True
    delimiter: Literal["comma", "semicolon", "tab", "bar"] = "comma"
    encoding: Literal["utf-8", "utf-8 with mark", "windows-1252", "iso-8859-1", "utf-16"] = "utf-8"
    decimal_mark: Literal[".", ","] = "."
    dates: Literal["2024-03-17", "17.03.2024", "03/17/2024", "20240317"] = "2024-03-17"
    line_ends: Literal["lf", "crlf"] = "lf"
    header: bool = True
    missing: str = Field("", max_length=20)

    @model_validator(mode="after")
    def _makes_sense(self) -> Self:
        if len(set(self.columns)) < len(self.columns):
            raise ValueError("a column is named twice")
        if any(mark in self.missing for mark in '"\n\r'):
            raise ValueError("what stands for a missing value cannot hold quotes or line ends")
        return self


def write_output(
    con: Connection, source: Path, types: dict[str, DataType], form: OutputForm, target: Path, scratch: Path
) -> None:
    """Write the records of a Parquet file, whose columns have `types`, in their order.

    Raises RunError for a column that is not there, a character that the encoding does not have (nothing is replaced), and a text that
    a cell of a workbook cannot hold.
    """
    named = form.columns or tuple(types)
    if unknown := [name for name in named if name not in types]:
        raise RunError(f"There is no column {unknown[0]!r}.", column=unknown[0])
    rows = exp.select(*(column(name) for name in named)).from_(read_parquet([source]))
    if form.form == "xlsx":
        write_workbook(con, rows, target, typed=True)
    elif form.form in ("jsonl", "parquet"):
        write(con, rows, target, form.form)
    else:
        _write_text(con, rows, types, form, target, scratch)


def _write_text(
    con: Connection, rows: exp.Select, types: dict[str, DataType], form: OutputForm, target: Path, scratch: Path
) -> None:
    cells = [exp.alias_(_cell(cell.name, types[cell.name], form), cell.name, quoted=True) for cell in rows.expressions]
    texts = delimited(rows, {name: kind for name, kind in types.items() if kind is DataType.TEXT}, form.defused)
    defused = {cell.alias_or_name: cell for cell in texts.expressions}
    told = [defused[cell.alias] if types[cell.alias] is DataType.TEXT else cell for cell in cells]
    delimiter = "\t" if form.form == "tsv" else DELIMITERS[form.delimiter]
    query = rows.select(*told, append=False)
    is_as_written = form.encoding == "utf-8" and form.line_ends == "lf"
    file = target if is_as_written else scratch / "as-written.txt"
    con.execute(sql(copy_to(query, file, format="csv", header=form.header, delimiter=delimiter, nullstr=form.missing)))
    if not is_as_written:
        _write_anew(file, target, ENCODINGS[form.encoding], "\r\n" if form.line_ends == "crlf" else "\n")


def _cell(name: str, kind: DataType, form: OutputForm) -> exp.Expr:
    """A cell as text, with the decimal mark and the form of dates that were chosen; times follow their day as they are."""
    text = written(column(name), kind)
    if kind in _DECIMALS and form.decimal_mark == ",":
        return template("replace(:t, '.', ',')", t=text)
    if kind is DataType.DATE and form.dates != "2024-03-17":
        return template("strftime(:c, :f)", c=column(name), f=DATES[form.dates])
    if kind is DataType.DATETIME and form.dates != "2024-03-17":
        return template("strftime(:c, :f) || substr(:t, 11)", c=column(name), t=text, f=DATES[form.dates])
    return text


def _write_anew(source: Path, target: Path, encoding: str, line_end: str) -> None:
    """Write a delimited file in another encoding and with other line ends; those inside quotes are values, and stay.

    Raises RunError for a character that the encoding does not have.
    """
    inside = False
    with source.open(encoding="utf-8", newline="") as text, target.open("w", encoding=encoding, newline="") as out:
        while piece := text.read(_PIECE):
            parts = piece.split('"')
            for at, part in enumerate(parts):
                if inside == bool(at % 2):
                    parts[at] = part.replace("\n", line_end)
            inside ^= len(parts) % 2 == 0
            try:
                out.write('"'.join(parts))
            except UnicodeEncodeError as error:
                raise RunError(
                    f"The character {error.object[error.start]!r} is not in the encoding {encoding}; nothing was written.",
                    advice="Take the file in UTF-8, or correct the character with a rule.",
                ) from None
