"""Physical lines of a text, bounded, and stand-ins for what the csv module cannot be told."""

from __future__ import annotations

import csv
import re
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

from pravin_core.errors import IntakeError
from pravin_core.intake.encoding import KEPT_BYTES, decoding
from pravin_core.intake.settings import FileSettings

LONGEST_LINE = 16 * 2**20  # characters
_GUARD = "\ufdd1"
_STAND_INS = {"delimiter": "\ufdd0", "\r": "\ufdd2", "\n": "\ufdd3", " ": "\ufdd8", "\t": "\ufdd9"}
_CODES = {
    _GUARD: "\ufdd4",
    "\ufdd0": "\ufdd5",
    "\ufdd2": "\ufdd6",
    "\ufdd3": "\ufdd7",
    "\ufdd8": "\ufdda",
    "\ufdd9": "\ufddb",
}


def physical_lines(path: Path, encoding: str, line_end: str = "any") -> Iterator[str]:
    """Lines with their ends; bytes that cannot be decoded stay visible (KEPT_BYTES).

    Raises IntakeError for a line longer than LONGEST_LINE: a table does not have such lines.
    """
    newline = "" if line_end == "any" else line_end
    with path.open(encoding=decoding(encoding), errors=KEPT_BYTES, newline=newline) as file:
        number = 0
        while line := file.readline(LONGEST_LINE + 1):
            number += 1
            if len(line) > LONGEST_LINE:
                raise too_long(path.name, number)
            yield line


def too_long(file: str, line: int) -> IntakeError:
    """The refusal of a line without end."""
    return IntakeError(
        f"Line {line:,} is longer than {LONGEST_LINE:,} characters; such a file is not a table of lines.",
        file=file,
        line=line,
        advice="Ask for the file with line ends, or choose another kind of line end in the import settings.",
    )


class Marks:
    """Stand-ins that let the csv module read delimiters of several characters, lone line ends, escape marks that take
    only marks literally, and spaces before quotation marks while those before other texts are kept.

    Noncharacters of Unicode stand for them while a line is cut; texts that hold such noncharacters themselves are
    guarded, so that every text comes back as it was.
    """

    def __init__(
        self, delimiter: str, line_end: str, quote: str = "", escape: str = "", spaced_quotes: bool = False
    ) -> None:
        self._long = delimiter if len(delimiter) > 1 else ""
        self.delimiter = _STAND_INS["delimiter"] if self._long else delimiter
        self._end = line_end
        self._lone = [] if line_end == "any" else [end for end in "\r\n" if end != line_end]
        self._escapes: re.Pattern[str] | None = None
        if escape:  # it takes marks literally; before anything else it stands for itself, as in C:\new
            marks = "".join(
                {escape, quote or '"', self.delimiter, "\r", "\n", *(_STAND_INS[text] for text in self._lone)}
            )
            self._escapes = re.compile(rf"{re.escape(escape)}([{re.escape(marks)}]|$)|{re.escape(escape)}")
            self._escape = escape
        self._spaces: re.Pattern[str] | None = None
        if spaced_quotes and quote:
            before = rf"(^|{re.escape(self.delimiter)})([ \t]+)(?![ \t]|{re.escape(quote)})"
            self._spaces = re.compile(before)
        self.needed = bool(self._long or self._lone or self._escapes or self._spaces)

    def put(self, line: str) -> str:
        """A physical line with its stand-ins."""
        body, end = (line[: -len(self._end)], self._end) if self._lone and line.endswith(self._end) else (line, "")
        if not self._lone:
            body, end = line.rstrip("\r\n"), line[len(line.rstrip("\r\n")) :]
        if any(mark in body for mark in _CODES):
            for mark, code in _CODES.items():
                body = body.replace(mark, _GUARD + code)
        if self._long:
            body = body.replace(self._long, _STAND_INS["delimiter"])
        for lone in self._lone:
            body = body.replace(lone, _STAND_INS[lone])
        if self._escapes:
            body = self._escapes.sub(self._meant, body)
        if self._spaces:
            body = self._spaces.sub(lambda match: match[1] + "".join(_STAND_INS[item] for item in match[2]), body)
        return body + end

    def _meant(self, match: re.Match[str]) -> str:
        """An escape mark before another mark stays; elsewhere it is doubled, so that the csv module gives it back."""
        return match[0] if match[1] is not None else match[0] * 2

    def back(self, cell: str) -> str:
        """A cell as it stood in the file."""
        if cell.isascii() or not any(mark in cell for mark in _CODES):
            return cell
        cell = cell.replace(_STAND_INS["delimiter"], self._long)
        for lone in self._lone:
            cell = cell.replace(_STAND_INS[lone], lone)
        if self._spaces:
            cell = cell.replace(_STAND_INS[" "], " ").replace(_STAND_INS["\t"], "\t")
        for mark, code in reversed(_CODES.items()):
            cell = cell.replace(_GUARD + code, mark)
        return cell


def csv_options(quote: str, escape: str = "", spaced_quotes: bool = False) -> dict[str, Any]:
    """The csv module's options for a quotation mark, or for none, and an escape mark; lines have their stand-ins."""
    options: dict[str, Any] = {"quotechar": quote, "doublequote": True} if quote else {"quoting": csv.QUOTE_NONE}
    if not quote:
        options["quotechar"] = None
    options |= {"skipinitialspace": True} if quote and spaced_quotes else {}
    return options | ({"escapechar": escape} if escape else {})


def reader(lines: Iterable[str], settings: FileSettings, marks: Marks) -> Iterator[list[str]]:
    """Cells of the lines (with their stand-ins put); strict: what is not well formed raises csv.Error."""
    options = csv_options(settings.quote, settings.escape, settings.spaced_quotes)
    return csv.reader(lines, delimiter=marks.delimiter, strict=True, **options)  # type: ignore[arg-type]
