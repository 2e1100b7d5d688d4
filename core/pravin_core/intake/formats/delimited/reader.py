"""The reader of delimited text."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from pravin_core.engines.base import Connection
from pravin_core.errors import IntakeError
from pravin_core.intake.encoding import split_lines, text_head, text_tail
from pravin_core.intake.formats.base import Detected, FastRead, LineOutcome, Place, Reader
from pravin_core.intake.formats.delimited.detect import detect
from pravin_core.intake.formats.delimited.lines import physical_lines
from pravin_core.intake.formats.delimited.plain_lines import read_lines
from pravin_core.intake.formats.delimited.read_paths import made_plain, may_be_fast, read_fast
from pravin_core.intake.formats.delimited.tolerant import read_one, read_pieces
from pravin_core.intake.formats.text import doubts_of, encoding_of
from pravin_core.intake.settings import FileSettings, SettingsRequest


class Delimited(Reader):
    """Text whose records are lines cut by a delimiter. Every text that no other reader takes is read so."""

    format, label = "delimited", "delimited text"
    asked = 60
    first = ("delimiter", "encoding", "header_rows")
    more = (
        "skip_lines",
        "quote",
        "escape",
        "spaced_quotes",
        "line_end",
        "comment",
        "trailing_delimiter",
        "repeated_header",
        "totals_line",
        "names",
    )

    def recognises(self, path: Path, name: str, head: bytes) -> str:
        return "text with a line for each record"

    def settle(self, place: Place, request: SettingsRequest, known: Sequence[str]) -> Detected:
        guess = encoding_of(place, request)
        head, whole = text_head(place.path, guess.name)
        if not head.strip():
            raise IntakeError("The file holds only blank lines.", file=place.name, advice="Ask for it again.")
        detected = detect(head, whole, text_tail(place.path, guess.name), guess, request, known, place.name)
        return Detected(
            detected.settings,
            detected.evidence,
            detected.notes,
            detected.rivals,
            (*doubts_of(place, guess), *detected.doubts),
        )

    def outcomes(self, place: Place, settings: FileSettings, limit: int | None = None) -> Iterator[LineOutcome]:
        if limit is None:
            yield from read_pieces(physical_lines(place.path, settings.encoding, settings.line_end), settings)
            return
        text, whole = text_head(place.path, settings.encoding)
        lines = split_lines(text, settings.line_end)
        yield from read_pieces(lines if whole or len(lines) < 2 else lines[:-1], settings, ends=whole)

    def read_one(self, text: str, settings: FileSettings) -> tuple[str | None, ...] | str:
        return read_one(text, settings)

    def read_fast(
        self,
        con: Connection,
        place: Place,
        settings: FileSettings,
        origin: tuple[int, int],
        work: Path,
        out: Path,
    ) -> FastRead | None:
        if not may_be_fast(settings):
            return None
        plain = made_plain(place.path, settings, work)
        if plain is None:
            return None
        lines = read_lines(plain, settings, place.name, origin, out)
        lines = lines or read_fast(con, place, plain, settings, origin, out)
        if plain != place.path:
            plain.unlink(missing_ok=True)
        if lines is None or not settings.totals_line:
            return lines
        return FastRead(lines.lines + 1, lines.records, lines.repeated, self._totals(place, settings))

    def _totals(self, place: Place, settings: FileSettings) -> tuple[str | None, ...]:
        last = [line for line in split_lines(text_tail(place.path, settings.encoding)) if line.strip()][-1:]
        above = settings.model_copy(update={"skip_lines": 0, "header_rows": 0})
        return next((outcome.cells for outcome in read_pieces(last, above)), ())


READER = Delimited()
