"""The core from the command line: inspect, profile, run. JSON shapes are documented in docs/cli.md."""

from __future__ import annotations

import argparse
import json
import sys
import tempfile
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from pravin_core.collecting import collect_seldom
from pravin_core.compiler.plan import RunContext
from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.errors import PravinError, SettingsError
from pravin_core.intake.formats.base import Detected, Place
from pravin_core.intake.settings import IntakeSettings, SettingsRequest
from pravin_core.intake.snapshot import Snapshot, SourceFile, make_snapshot, settle
from pravin_core.intake.sources import SEPARATOR, FoundSource, find_sources
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.refusals import in_words
from pravin_core.releases import writers
from pravin_core.rules.from_text import rulebook_from_text
from pravin_core.rules.resolving import resolved
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs.model import Outcome
from pravin_core.runs.runner import result_parts, run_rulebook
from pravin_core.shelf_files import references_of, shelf_of
from pravin_core.tables.types import DataType

DONE, STOPPED, WRONG_INPUT = 0, 1, 2


def main(arguments: list[str] | None = None) -> int:
    """Run one command; returns the exit code (0 done, 1 a stopping check fails, 2 wrong input)."""
    collect_seldom()
    options = _parser().parse_args(arguments)
    try:
        code: int = options.action(options)
        return code
    except PravinError as error:
        print(f"pravin: {error}", file=sys.stderr)
    except UnicodeDecodeError as error:
        print(f"pravin: a text is not in {error.encoding}: byte {error.start + 1} cannot be read.", file=sys.stderr)
    except OSError as error:
        print(f"pravin: {error.filename}: {error.strerror}", file=sys.stderr)
    return WRONG_INPUT


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="pravin", description="Inspect, profile and clean tables.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    inspect = commands.add_parser("inspect", help="how files would be read, and the evidence for it")
    inspect.add_argument("files", nargs="+", type=Path, metavar="FILE")
    inspect.add_argument("--settings", type=Path, help="import settings (JSON)")
    inspect.add_argument("--json", action="store_true", help="print JSON")
    inspect.set_defaults(action=_inspect)
    profile = commands.add_parser("profile", help="measure a delivery of one or several files")
    profile.add_argument("files", nargs="+", type=Path, metavar="FILE")
    profile.add_argument("--settings", type=Path, help="import settings (JSON)")
    profile.add_argument("--json", type=Path, metavar="OUT", help="write the profile here (- prints it)")
    _limits(profile)
    profile.set_defaults(action=_profile)
    run = commands.add_parser("run", help="run a rulebook and write what came out")
    run.add_argument("rulebook", type=Path, metavar="RULEBOOK", help="JSON or YAML, as it is downloaded")
    run.add_argument("files", nargs="+", type=Path, metavar="FILE")
    run.add_argument("--out", type=Path, required=True, metavar="DIR")
    run.add_argument("--settings", type=Path, help="import settings (JSON)")
    run.add_argument("--format", choices=writers.FORMATS, default="csv")
    for name, of in (("code-list", "NAME=FILE"), ("reference", "NAME=FILE"), ("parameter", "NAME=VALUE")):
        run.add_argument(
            f"--{name}", action="append", default=[], metavar=of, help=f"a {name.replace('-', ' ')} of the library"
        )
    run.add_argument("--delivered-on", type=date.fromisoformat, metavar="DATE", help="the day of the delivery (today)")
    run.add_argument("--defuse-formulas", action="store_true", help="put ' before texts a spreadsheet would run")
    _limits(run)
    run.set_defaults(action=_run)
    return parser


def _limits(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--memory", default="1GB", help="the engine's memory limit")
    parser.add_argument("--threads", type=int, default=2)


def _settings(path: Path | None) -> IntakeSettings:
    if path is None:
        return IntakeSettings()
    try:
        return IntakeSettings.model_validate_json(path.read_bytes())
    except ValueError as error:
        first = error.errors()[0] if isinstance(error, ValidationError) else {"loc": (), "msg": "they are no JSON"}
        field = ".".join(str(part) for part in first["loc"])
        words = in_words(first) if "type" in first else first["msg"]
        raise SettingsError(
            f"The import settings cannot be read: {field or 'the file'}: {words}.", file=path.name, field=field or None
        ) from error


def _settle_all(options: argparse.Namespace, work: Path) -> list[tuple[FoundSource, Detected]]:
    """Settings for each source; one without header takes the names of the first with one, if as wide."""
    settings = _settings(options.settings)
    sources = [
        source for file in options.files for source in find_sources(file.resolve(), file.name, work / "unpacked")
    ]

    def request(source: FoundSource) -> SettingsRequest:
        return settings.for_file(source.name if source.name in settings.files else source.name.split(SEPARATOR)[0])

    settled: dict[int, Detected] = {}
    known: tuple[str, ...] = ()
    for at in sorted(range(len(sources)), key=lambda at: request(sources[at]).header_rows == 0):
        source = sources[at]
        place = Place(source.name, source.path, source.table)
        settled[at] = settle(source.path, source.name, request(source), known, place)
        if settled[at].settings.header_rows and not known:
            known = settled[at].settings.names
    return [(source, settled[at]) for at, source in enumerate(sources)]


def _snapshot(options: argparse.Namespace, work: Path) -> Snapshot:
    settled = _settle_all(options, work)
    sources = [SourceFile(source.name, source.path, detected.settings, source.table) for source, detected in settled]
    return make_snapshot(sources, work / "snapshot", Limits(options.memory, options.threads))


def _inspect(options: argparse.Namespace) -> int:
    with tempfile.TemporaryDirectory(prefix="pravin-") as work:
        results = _settle_all(options, Path(work))
    if options.json:
        print(json.dumps([_said(source.name, detected) for source, detected in results], indent=2, ensure_ascii=False))
        return DONE
    for source, detected in results:
        print(source.name)
        for name, value in detected.settings.model_dump(exclude_defaults=True).items():
            shown = ", ".join(str(part) for part in value) if isinstance(value, tuple) else repr(value)
            print(f"  {name:<11}{shown}   ({detected.evidence.get(name, '')})")
        for note in detected.notes:
            print(f"  note: {note}")
    return DONE


def _said(name: str, detected: Detected) -> dict[str, Any]:
    settings = {**detected.settings.model_dump(), "header": detected.settings.header_rows > 0}
    doubts = [{"line": doubt.line, "about": doubt.about, "readings": dict(doubt.readings)} for doubt in detected.doubts]
    return {
        "file": name, "settings": settings, "evidence": detected.evidence, "notes": list(detected.notes),
        "rivals": {key: list(marks) for key, marks in detected.rivals.items()}, "doubts": doubts,
    }  # fmt: skip


def _profile(options: argparse.Namespace) -> int:
    with tempfile.TemporaryDirectory(prefix="pravin-") as work:
        snapshot = _snapshot(options, Path(work))
        now = datetime.now(UTC).replace(tzinfo=None)
        profile = profile_snapshot(snapshot, Path(work) / "scratch", now, Limits(options.memory, options.threads))
    if options.json:
        text = profile.model_dump_json(indent=2)
        print(text) if str(options.json) == "-" else options.json.write_text(text + "\n")
        return DONE
    print(f"{profile.records:,} records, {len(profile.columns):,} columns, {profile.rejected:,} rejected lines, "
          f"{profile.missing_cells:,} missing cells, {profile.duplicate_records:,} repeated records")  # fmt: skip
    for column in profile.columns:
        top = column.values[0].value if column.values else ""
        print(f"  {column.name:<24}{column.type + ', ' + column.role:<28}{column.missing:>12,} missing"
              f"{column.distinct:>12,} different  {top[:40]}")  # fmt: skip
    if profile.unjudged:
        print(f"Could not be looked for: {', '.join(profile.unjudged)}")
    return DONE


def _run(options: argparse.Namespace) -> int:
    rulebook = rulebook_from_text(options.rulebook.read_text(encoding="utf-8"))
    rulebook = resolved(rulebook, shelf_of(options.code_list, options.parameter))
    options.out.mkdir(parents=True, exist_ok=True)
    limits = Limits(options.memory, options.threads)
    with tempfile.TemporaryDirectory(prefix="pravin-", dir=options.out) as scratch:
        work = Path(scratch)
        snapshot = _snapshot(options, work)
        day = options.delivered_on or datetime.now(UTC).date()
        near = RunContext(references=references_of(options.reference, work, limits), delivered_on=day)
        outcome = run_rulebook(snapshot, rulebook, work / "result", limits=limits, context=near)
        _write_all(options, work, snapshot, rulebook, outcome, limits)
    report = _run_json(snapshot, rulebook, outcome)
    (options.out / "run.json").write_text(json.dumps(report, indent=2, ensure_ascii=False) + "\n")
    r = outcome.reconciliation
    print(f"{r.delivered:,} delivered + {r.added:,} added = {r.ready + r.corrected:,} ready ({r.corrected:,} corrected)"
          f" + {r.quarantined:,} quarantined + {r.removed:,} removed + {r.rejected:,} rejected lines")  # fmt: skip
    for rule in outcome.stopped_by:
        print(f"stopped by rule {rule}", file=sys.stderr)
    return STOPPED if outcome.stopped_by else DONE


def _write_all(
    options: argparse.Namespace, work: Path, snapshot: Snapshot, rulebook: Rulebook, outcome: Outcome, limits: Limits
) -> None:
    result = result_parts(work / "result")
    queries = {
        "ready": writers.ready(result, outcome),
        "quarantined": writers.quarantined(result, outcome),
        "removed": writers.removed(result, outcome, rulebook),
        "rejected": writers.rejected(snapshot),
    }
    types = {name: DataType(kind) for name, kind in outcome.columns}
    with connect([work, options.out.resolve()], work / "scratch", limits) as con:
        know_operations(con)
        for name, query in queries.items():
            if options.format in ("csv", "tsv") and name != "rejected":
                query = writers.delimited(query, types, options.defuse_formulas)
            writers.write(con, query, options.out.resolve() / f"{name}.{options.format}", options.format)


def _run_json(snapshot: Snapshot, rulebook: Rulebook, outcome: Outcome) -> dict[str, Any]:
    sentences = {rule.id: "".join(part.text for part in rule.describe()) for rule in rulebook.rules}
    return {
        "files": [file.model_dump() for file in snapshot.files],
        "columns": [{"name": name, "type": kind} for name, kind in outcome.columns],
        "reconciliation": {**outcome.reconciliation.model_dump(), "balances": outcome.reconciliation.balances},
        "effects": [{**effect.model_dump(), "sentence": sentences[effect.rule]} for effect in outcome.effects],
        "stopped_by": list(outcome.stopped_by),
    }


if __name__ == "__main__":
    sys.exit(main())
