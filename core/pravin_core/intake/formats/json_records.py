"""JSON (RFC 8259) and JSON Lines: a list of objects, or an object on each line, flattened by path."""

from __future__ import annotations

import codecs
import json
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import Any

from pravin_core.errors import IntakeError
from pravin_core.intake.encoding import CHUNK, KEPT_BYTES, decoding, detect_encoding, holds_bad_bytes, text_head
from pravin_core.intake.formats.base import BY_HAND, RECORD, REJECTED, Detected, LineOutcome, Place, Reader, assign
from pravin_core.intake.formats.delimited.lines import LONGEST_LINE, physical_lines
from pravin_core.intake.formats.text import encoding_of
from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.refusals import of_json
from pravin_core.tables.columns import unique_names

DEEPEST = 40
LARGEST_NESTED = 256 * 2**20  # bytes of a document whose list of records is not its outermost value
LINES = "(lines)"
_MOST_COLUMNS = 20_000
_SPACE = re.compile(r"[ \t\r\n]*")
_LONE = re.compile("[\ud800-\udfff]")


class _Number(str):
    """A number as it is written: 1.50 stays 1.50."""


class _Twice(ValueError):
    """An object that gives a name twice."""


def _object(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found_pairs = dict(pairs)
    if len(found_pairs) < len(pairs):
        names = [name for name, _ in pairs]
        raise _Twice(f"the name {next(n for n in names if names.count(n) > 1)!r} is given twice")
    return found_pairs


_DECODER = json.JSONDecoder(
    object_pairs_hook=_object, parse_float=_Number, parse_int=_Number, parse_constant=_Number, strict=False
)


@dataclass(frozen=True)
class _Element:
    """One element of the list of records: its first line, its lines, its raw text, its value or why it has none."""

    line: int
    lines: int
    text: str
    value: Any = None
    reason: str = ""


class JsonRecords(Reader):
    """Objects become records; nested fields are named by their path, lists stay JSON text or are exploded."""

    format, label, unit = "json", "JSON", "element"
    asked = 40
    first = ("records_at", "explode", "encoding")
    more = ("names",)

    def recognises(self, path: Path, name: str, head: bytes) -> str:
        if head.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] not in (b"{", b"[") and b"\x00" not in head[:4]:
            return ""
        try:
            text, whole = text_head(path, detect_encoding(path).name, len(head))
        except IntakeError:
            return ""
        text = text.strip()
        if text[:1] not in ("{", "["):
            return ""
        first, _, rest = text.partition("\n")
        if _is_value(first) and _is_value(rest.lstrip().partition("\n")[0]):
            return "every line looked at is a JSON value by itself"
        if whole:
            return "the file is a JSON document" if _is_value(text) or _begins(text) else ""
        return "the file begins like a JSON document" if _begins(text) else ""

    def settle(self, place: Place, request: SettingsRequest, known: Sequence[str]) -> Detected:
        guess = encoding_of(place, request)
        encoding = request.encoding or guess.name
        at, why = request.records_at, BY_HAND
        if at is None:
            at, why = self._where(place.path, encoding, place.name)
        explode = request.explode or ""
        paths: dict[str, None] = {}
        lists: dict[str, int] = {}
        for element in _elements(place.path, encoding, at, place.name):
            for value in () if element.reason else _exploded(element.value, explode):
                flat = _flat(value)
                paths.update(dict.fromkeys(flat))
                for path, item in flat.items():
                    if isinstance(item, list):
                        lists[path] = lists.get(path, 0) + 1
            if len(paths) > _MOST_COLUMNS:
                raise IntakeError(
                    f"The records have more than {_MOST_COLUMNS:,} different fields.", file=place.name,
                    advice="Choose another path of the records: these names look like values.",
                )  # fmt: skip
        delivered = list(request.names) if request.names and len(request.names) == len(paths) else list(paths)
        names, notes = unique_names(delivered)
        settings = FileSettings(
            format="json", encoding=encoding, records_at=at, explode=explode, header_rows=0,
            paths=tuple(paths), **assign(names, request, place.name),
        )  # fmt: skip
        evidence = {
            "encoding": BY_HAND if request.encoding else guess.evidence,
            "records_at": why,
            "names": f"the {len(paths):,} paths of the fields, in the order of their first appearance",
            "explode": BY_HAND if explode else _said_lists(lists),
        }
        others = tuple(path for path in lists if path != explode)
        return Detected(settings, evidence, tuple(notes), {"encoding": guess.rivals, "explode": others})

    def _where(self, path: Path, encoding: str, name: str) -> tuple[str, str]:
        """The path of the list of records, and why."""
        head, _ = text_head(path, encoding)
        head = head.strip()
        first, _, rest = head.partition("\n")
        if head[:1] == "{" and _is_value(first) and _is_value(rest.lstrip().partition("\n")[0]):
            return LINES, "an object on each line"
        if head[:1] == "[":
            if _is_value(first) and rest.strip():
                return LINES, "a list on each line"
            return "", "the document is a list"
        document = _document(path, encoding, name)
        lists = sorted(_lists(document), key=lambda pair: -pair[1])
        if not lists:
            return "", "the document is one object: it is the only record"
        return lists[0][0], f"the longest list of objects, with {lists[0][1]:,} of them"

    def outcomes(self, place: Place, settings: FileSettings, limit: int | None = None) -> Iterator[LineOutcome]:
        result = _elements(place.path, settings.encoding, settings.records_at, place.name)
        for element in result if limit is None else islice(result, limit):
            yield from _pieces_of(element, settings)

    def read_one(self, text: str, settings: FileSettings) -> tuple[str | None, ...] | str:
        try:
            value = _DECODER.decode(text)
        except (ValueError, RecursionError) as error:
            return f"the text is not JSON: {of_json(error)}"
        outcomes = list(_pieces_of(_Element(1, 1, text, value), settings))
        if len(outcomes) != 1:
            return "the text is more than one record"
        return outcomes[0].reason or outcomes[0].cells


def _pieces_of(element: _Element, settings: FileSettings) -> Iterator[LineOutcome]:
    reason = element.reason
    rows: list[tuple[str | None, ...]] = []
    if not reason:
        for value in _exploded(element.value, settings.explode):
            flat = _flat(value)
            if unknown := next((path for path in flat if path not in settings.paths), None):
                reason = f"the field {unknown!r} is not among the columns of the settings"
            cells = tuple(_text(flat.get(path)) for path in settings.paths)
            if any(cell and _LONE.search(cell) for cell in cells if cell and not cell.isascii()):
                reason = "the record holds half of a surrogate pair, which is no character"
            elif any(cell and "\x00" in cell for cell in cells):
                reason = "the record holds a NUL character"
            rows.append(cells)
    if reason:
        yield LineOutcome(REJECTED, element.line, 1, element.text, (), reason)
        return
    for position, cells in enumerate(rows):
        yield LineOutcome(RECORD, element.line, int(position == 0), element.text, cells)


def _is_value(text: str) -> bool:
    try:
        return isinstance(_DECODER.decode(text.strip()), dict | list)
    except (ValueError, RecursionError):
        return False


def _begins(text: str) -> bool:
    """Whether a text that may be cut off begins like a list of objects or lists, or like an object."""
    return bool(re.match(r"\[\s*(\{|\[|\]|$)|\{\s*(\"|\}|$)", text))


def _elements(path: Path, encoding: str, at: str, name: str) -> Iterator[_Element]:
    if at == LINES:
        return _of_lines(path, encoding)
    if at == "":
        return _of_list(path, encoding, name)
    return _of_document(path, encoding, at, name)


def _of_lines(path: Path, encoding: str) -> Iterator[_Element]:
    for number, line in enumerate(physical_lines(path, encoding), start=1):
        text = line.rstrip("\r\n").removeprefix("\ufeff")
        if not text.strip():
            yield _Element(number, 1, text, reason="the line is empty")
        elif holds_bad_bytes(text):
            yield _Element(number, 1, text, reason="the line holds bytes that are not valid in the encoding")
        else:
            yield _decoded(text, number)


def _decoded(text: str, number: int) -> _Element:
    try:
        return _Element(number, 1, text, _DECODER.decode(text.strip()))
    except (ValueError, RecursionError) as error:
        own_text = "too deeply nested" if isinstance(error, RecursionError) else str(error)
        return _Element(number, 1, text, reason=f"the line is not JSON: {own_text}")


def _of_list(path: Path, encoding: str, name: str) -> Iterator[_Element]:
    """The elements of a document that is a list, one at a time in bounded memory; `line` counts elements.

    What follows a mistake cannot be cut into elements any more and is one rejected element.
    """
    decoder = codecs.getincrementaldecoder(decoding(encoding))(KEPT_BYTES)
    number, buffer, at, over = 0, "", 0, False
    with path.open("rb") as file:

        def more() -> bool:
            """Read on; what is done with is let go here only, once for many elements. False at the end of the file."""
            nonlocal buffer, at, over
            chunk = file.read(CHUNK // 8)
            over = not chunk
            buffer, at = buffer[at:] + decoder.decode(chunk, final=over), 0
            return not over

        more()
        at = _SPACE.match(buffer, 1 if buffer[:1] == "\ufeff" else 0).end()  # type: ignore[union-attr]
        if buffer[at : at + 1] != "[":
            yield from _single(path, encoding, name)
            return
        at += 1
        parted = False
        while True:
            at = _SPACE.match(buffer, at).end()  # type: ignore[union-attr]
            if at == len(buffer) and more():
                continue
            mark = buffer[at : at + 1]
            if mark == "]":
                at += 1
                while not buffer[at:].strip() and more():
                    pass
                rest = buffer[at:].strip()
                if rest:
                    yield _Element(number + 1, 1, rest[:2000], reason="text stands after the end of the list")
                return
            if mark == "," and number and not parted:
                at, parted = at + 1, True
                at = _SPACE.match(buffer, at).end()  # type: ignore[union-attr]
                if at == len(buffer) and more():
                    at = _SPACE.match(buffer, at).end()  # type: ignore[union-attr]
            number += 1
            try:
                value, end = _DECODER.raw_decode(buffer, at)
                if end == len(buffer) and not over and more():
                    value, end = _DECODER.raw_decode(buffer, at)
            except _Twice as error:
                end = _end_of(buffer, at)
                yield _Element(number, 1, buffer[at:end][:2000], reason=f"the element cannot be read: {error}")
                at, parted = end, False
                continue
            except (ValueError, RecursionError) as error:
                if len(buffer) - at > LONGEST_LINE or not more():
                    reason = f"from here on the document is not JSON: {_why(error)}"
                    yield _Element(number, 1, buffer[at:][:2000], reason=reason)
                    return
                number -= 1
                continue
            text, at = buffer[at:end], end
            if number > 1 and not parted:
                yield _Element(number, 1, text[:2000], reason="no comma stands between the element and the one before")
            else:
                yield _checked(number, text, value)
            parted = False


def _why(error: ValueError | RecursionError) -> str:
    """Without line and character, which count from the piece of the document in memory."""
    return (
        of_json(error)
        if isinstance(error, RecursionError)
        else "the element is not finished or not written as it must be"
    )


def _end_of(buffer: str, at: int) -> int:
    return json.JSONDecoder(strict=False).raw_decode(buffer, at)[1]


def _checked(number: int, text: str, value: Any) -> _Element:
    if holds_bad_bytes(text):
        return _Element(number, 1, text[:2000], reason="the element holds bytes that are not valid in the encoding")
    return _Element(number, 1, text[:2000], value)


def _document(path: Path, encoding: str, name: str) -> Any:
    if path.stat().st_size > LARGEST_NESTED:
        raise IntakeError(
            f"The JSON document is larger than {LARGEST_NESTED:,} bytes and not a list of records.",
            file=name,
            advice="Ask for a list of objects or for JSON Lines, which are read at any size.",
        )
    text = path.read_bytes().decode(decoding(encoding), KEPT_BYTES)
    try:
        return _DECODER.decode(text.removeprefix("\ufeff").strip())
    except (ValueError, RecursionError) as error:
        raise IntakeError(f"The file is not JSON: {of_json(error)}.", file=name, advice="Ask for it again.") from error


def _single(path: Path, encoding: str, name: str) -> Iterator[_Element]:
    value = _document(path, encoding, name)
    yield _checked(1, _json(value), value)


def _of_document(path: Path, encoding: str, at: str, name: str) -> Iterator[_Element]:
    value = _document(path, encoding, name)
    for step in at.split("."):
        value = value.get(step) if isinstance(value, dict) else None
    if not isinstance(value, list):
        raise IntakeError(f"There is no list at {at!r}.", file=name, advice="Choose another path of the records.")
    for number, element in enumerate(value, start=1):
        yield _checked(number, _json(element), element)


def _lists(value: Any, path: str = "", depth: int = 0) -> Iterator[tuple[str, int]]:
    """Paths of the lists of objects in a document, with their lengths; not those inside of other lists."""
    if isinstance(value, dict) and depth < DEEPEST:
        for name, inner in value.items():
            yield from _lists(inner, f"{path}.{name}" if path else name, depth + 1)
    elif isinstance(value, list) and value and all(isinstance(entry, dict) for entry in value):
        yield path, len(value)


def _exploded(value: Any, path: str) -> list[Any]:
    """The records that an element makes: one, or one for each member of the list at a path."""
    if not path:
        return [value]
    inner: Any = value
    for step in path.split("."):
        inner = inner.get(step) if isinstance(inner, dict) else None
    if not isinstance(inner, list) or not inner:
        return [value]
    return [_put(value, path.split("."), member) for member in inner]


def _put(value: dict[str, Any], steps: Sequence[str], member: Any) -> dict[str, Any]:
    inner = member if len(steps) == 1 else _put(value[steps[0]], steps[1:], member)
    return {**value, steps[0]: inner}


def _flat(value: Any, path: str = "", depth: int = 0) -> dict[str, Any]:
    """Fields by path. Lists of a record that is itself a list are numbered; what is too deep stays JSON."""
    if isinstance(value, list) and not path:
        value = {f"{position}": member for position, member in enumerate(value, start=1)}
    if not isinstance(value, dict) or depth >= DEEPEST or (not value and path):
        return {path or "value": value}
    results: dict[str, Any] = {}
    for name, inner in value.items():
        results.update(_flat(inner, f"{path}.{name}" if path else name or "(empty name)", depth + 1))
    return results


def _text(value: Any) -> str | None:
    """A value as text: null is no value, numbers as written, lists and objects as JSON."""
    if value is None or isinstance(value, str):
        return value if value is None else str(value)
    if isinstance(value, bool):
        return "true" if value else "false"
    return _json(value)


def _json(value: Any) -> str:
    """JSON text with numbers as they were written."""
    if isinstance(value, _Number):
        return str(value)
    if isinstance(value, dict):
        return "{" + ", ".join(f"{json.dumps(k, ensure_ascii=False)}: {_json(v)}" for k, v in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ", ".join(map(_json, value)) + "]"
    return json.dumps(value, ensure_ascii=False)


def _said_lists(lists: dict[str, int]) -> str:
    if not lists:
        return "no field holds a list"
    return "lists are kept as text in " + ", ".join(f"{path} ({count:,})" for path, count in list(lists.items())[:5])


READER = JsonRecords()
