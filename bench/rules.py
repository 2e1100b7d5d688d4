"""Sixty rules over 1.1 million records: one chain, the effect of one rule, and the same work written by hand.

In the table as it is, the checks quarantine nearly every record, and each gets its reasons; with `--few` they ask for less, and
hardly any is quarantined, as in a delivery that a rulebook was made for.
"""

from __future__ import annotations

import argparse
import json
import resource
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from bench.table import write_table

READINGS = [f"reading_{n}" for n in range(12)]
PLACES = [f"place_{n}" for n in range(9)]
COUNTS = [f"count_{n}" for n in range(8)]


Checks = tuple[float, list[str]]  # the highest reading, and what must be there
MANY: Checks = (12, PLACES[:5])
FEW: Checks = (14, ["sample_id", "sampled_on", PLACES[7], "count_0", "count_1"])


def rules(checks: Checks = MANY) -> list[dict[str, Any]]:
    """The rulebook: 40 corrections and 20 checks."""
    high, needed = checks
    rules: list[dict[str, Any]] = [
        {"kind": "trim-spaces", "columns": [], "collapse": True},
        {"kind": "missing-tokens", "columns": [], "tokens": ["n/a", "-"]},
    ]
    rules += [{"kind": "letter-case", "columns": [name], "letters": "words"} for name in PLACES[:5]]
    rules += [
        {"kind": "replace-text", "columns": [name], "find": "Above", "replacement": "above"} for name in PLACES[:4]
    ]
    rules += [{"kind": "extract", "columns": [PLACES[5]], "which": "before", "mark": ","}]
    rules += [
        {
            "kind": "translate",
            "columns": [PLACES[6]],
            "codes": [{"code": "Harbour", "meaning": "HB"}, {"code": "Lower Merrow, left bank", "meaning": "LM"}],
        },
        {"kind": "fill", "columns": [PLACES[7]], "by_what": "value", "value": "unknown"},
        {"kind": "insert-text", "columns": [PLACES[8]], "insert": "at ", "place": "start"},
        {"kind": "split-column", "column": "sample_id", "mark": "-", "into": ["series", "number"]},
    ]
    rules += [{"kind": "to-number", "columns": [name]} for name in READINGS]
    rules += [
        {"kind": "to-number", "columns": COUNTS, "whole": True},
        {"kind": "to-date", "columns": ["sampled_on"], "formats": ["%Y-%m-%d"]},
    ]
    rules += [{"kind": "scale-values", "columns": [name], "factor": 0.1, "low": "14"} for name in READINGS[:3]]
    rules += [{"kind": "round-numbers", "columns": [name], "places": 2} for name in READINGS[:4]]
    rules += [
        {"kind": "compute", "columns": ["sum_of_two"], "formula": "reading_0 + reading_1"},
        {"kind": "date-part", "column": "sampled_on", "part": "month", "into": "month"},
        {"kind": "remove-duplicates", "columns": ["sample_id"]},
    ]
    rules += [{"kind": "in-range", "columns": [name], "low": "0", "high": f"{high:g}"} for name in READINGS]
    rules += [{"kind": "required", "columns": [name]} for name in needed]
    rules += [
        {"kind": "unique", "columns": ["sample_id"]},
        {"kind": "matches-pattern", "columns": ["sample_id"], "pattern": "WQ-[0-9]{8}"},
        {"kind": "holds", "columns": ["count_0"], "formula": "count_0 + count_1 < 9990"},
    ]
    return [{**rule, "id": f"r{number}"} for number, rule in enumerate(rules, start=1)]


def by_pandas(path: Path, out: Path, checks: Checks = MANY) -> float:
    """The same work in pandas, as an analyst would write it; the seconds after reading."""
    import pandas as pd

    t = pd.read_csv(path, sep="|", dtype=str, keep_default_na=False)
    begun, (high, needed) = time.perf_counter(), checks
    for name in t.columns:
        t[name] = t[name].str.strip().str.replace(r"\s+", " ", regex=True)
        t[name] = t[name].mask(t[name].str.lower().isin(["n/a", "-", ""]))
    for name in PLACES[:5]:
        t[name] = t[name].str.title()
    for name in PLACES[:4]:
        t[name] = t[name].str.replace("Above", "above", regex=False)
    head = t[PLACES[5]].str.split(",", n=1).str[0]
    t[PLACES[5]] = head.where(t[PLACES[5]].str.contains(",", na=False), t[PLACES[5]])
    t[PLACES[6]] = t[PLACES[6]].replace({"Harbour": "HB", "Lower Merrow, left bank": "LM"})
    t[PLACES[7]] = t[PLACES[7]].fillna("unknown")
    t[PLACES[8]] = "at " + t[PLACES[8]]
    t[["series", "number"]] = t["sample_id"].str.split("-", n=1, expand=True)
    bad = pd.Series(False, index=t.index)
    for name in [*READINGS, *COUNTS]:
        number = pd.to_numeric(t[name], errors="coerce")
        bad |= number.isna() & t[name].notna()
        t[name] = number
    day = pd.to_datetime(t["sampled_on"], format="%Y-%m-%d", errors="coerce")
    bad |= day.isna() & t["sampled_on"].notna()
    t["sampled_on"] = day
    for name in READINGS[:3]:
        t[name] = t[name].where(~(t[name] >= 14), t[name] * 0.1)
    for name in READINGS[:4]:
        t[name] = t[name].round(2)
    t["sum_of_two"], t["month"] = t["reading_0"] + t["reading_1"], t["sampled_on"].dt.month
    gone = t.duplicated("sample_id")
    for name in READINGS:
        bad |= (t[name] < 0) | (t[name] > high)
    for name in needed:
        bad |= t[name].isna()
    bad |= t["sample_id"].duplicated(keep=False) & ~gone
    bad |= ~t["sample_id"].str.fullmatch("WQ-[0-9]{8}").fillna(True).astype(bool)
    bad |= t["count_0"] + t["count_1"] >= 9990
    t[~bad & ~gone].to_parquet(out / "ready.parquet")
    t[bad & ~gone].to_parquet(out / "quarantined.parquet")
    return time.perf_counter() - begun


def by_polars(path: Path, out: Path, checks: Checks = MANY) -> float:
    """The same work in polars, as an analyst would write it; the seconds after reading."""
    import polars as pl

    t = pl.read_csv(path, separator="|", infer_schema=False)
    begun, (high, needed) = time.perf_counter(), checks
    trimmed = [pl.col(name).str.strip_chars().str.replace_all(r"\s+", " ") for name in t.columns]
    t = t.with_columns(trimmed)
    t = t.with_columns(
        [
            pl.when(pl.col(n).str.to_lowercase().is_in(["n/a", "-", ""])).then(None).otherwise(pl.col(n)).alias(n)
            for n in t.columns
        ]
    )
    t = t.with_columns([pl.col(n).str.to_titlecase() for n in PLACES[:5]])
    t = t.with_columns([pl.col(n).str.replace_all("Above", "above", literal=True) for n in PLACES[:4]])
    t = t.with_columns(
        pl.when(pl.col(PLACES[5]).str.contains(",", literal=True)).then(pl.col(PLACES[5]).str.splitn(",", 2).struct[0]).otherwise(pl.col(PLACES[5])).alias(PLACES[5]),
        pl.col(PLACES[6]).replace({"Harbour": "HB", "Lower Merrow, left bank": "LM"}), pl.col(PLACES[7]).fill_null("unknown"),
        pl.lit("at ") + pl.col(PLACES[8]), pl.col("sample_id").str.splitn("-", 2).struct.rename_fields(["series", "number"]).struct.unnest(),
    )  # fmt: skip
    texts = t.select([*READINGS, *COUNTS, "sampled_on"])
    t = t.with_columns(
        *(pl.col(n).cast(pl.Float64, strict=False) for n in READINGS), *(pl.col(n).cast(pl.Int64, strict=False) for n in COUNTS),
        pl.col("sampled_on").str.to_date("%Y-%m-%d", strict=False),
    )  # fmt: skip
    bad = pl.lit(False)
    lost = pl.DataFrame({n: t[n].is_null() & texts[n].is_not_null() for n in texts.columns})
    t = t.with_columns(lost.select(pl.any_horizontal(pl.all())).to_series().alias("lost"))
    t = t.with_columns(
        [pl.when(pl.col(n) >= 14).then(pl.col(n) * 0.1).otherwise(pl.col(n)).alias(n) for n in READINGS[:3]]
    )
    t = t.with_columns([pl.col(n).round(2) for n in READINGS[:4]])
    t = t.with_columns(
        (pl.col("reading_0") + pl.col("reading_1")).alias("sum_of_two"), pl.col("sampled_on").dt.month().alias("month")
    )
    t = t.with_columns((~pl.col("sample_id").is_first_distinct()).alias("gone"))
    bad = pl.col("lost")
    for name in READINGS:
        bad = bad | (pl.col(name) < 0) | (pl.col(name) > high)
    for name in needed:
        bad = bad | pl.col(name).is_null()
    bad = (
        bad
        | (pl.col("sample_id").is_duplicated() & ~pl.col("gone"))
        | ~pl.col("sample_id").str.contains("^WQ-[0-9]{8}$")
    )
    bad = bad | (pl.col("count_0") + pl.col("count_1") >= 9990)
    t = t.with_columns(bad.fill_null(False).alias("bad"))
    t.filter(~pl.col("bad") & ~pl.col("gone")).write_parquet(out / "ready.parquet")
    t.filter(pl.col("bad") & ~pl.col("gone")).write_parquet(out / "quarantined.parquet")
    return time.perf_counter() - begun


def by_pravin(path: Path, out: Path, checks: Checks = MANY) -> float:
    """Our own run, from the file to the result; the seconds of the run, which begins with the delivery read."""
    snapshot = _snapshot(path, out)
    from pravin_core.rules.rulebook import Rulebook
    from pravin_core.runs.runner import run_rulebook

    begun = time.perf_counter()
    outcome = run_rulebook(snapshot, Rulebook.model_validate({"rules": rules(checks)}), out / "result")
    seconds = time.perf_counter() - begun
    print(json.dumps(outcome.reconciliation.model_dump()), file=sys.stderr)
    return seconds


def effects(path: Path, out: Path, checks: Checks = MANY) -> float:
    """How long it takes until the effect of one edited rule is there, for each rule."""
    snapshot = _snapshot(path, out)
    from pravin_core.rules.rulebook import Rulebook
    from pravin_core.runs.effects.effect import effect_of
    from pravin_core.runs.runner import run_rulebook

    book = Rulebook.model_validate({"rules": rules(checks)})
    run_rulebook(snapshot, book, out / "trial")  # as the application does before rules are edited
    timings = []
    for rule in book.rules:
        begun = time.perf_counter()
        effect_of(snapshot, book, rule.id, out / "scratch")
        timings.append((time.perf_counter() - begun, rule.kind, rule.id))
    for seconds, kind, id_ in sorted(timings, reverse=True)[:12]:
        print(f"  {seconds:6.2f} s  {kind} {id_}", file=sys.stderr)
    print(
        json.dumps({"median": round(sorted(timings)[len(timings) // 2][0], 2), "most": round(max(timings)[0], 2)}),
        file=sys.stderr,
    )
    return sum(seconds for seconds, *_ in timings)


def _snapshot(path: Path, out: Path) -> Any:
    from pravin_core.intake.settings import SettingsRequest
    from pravin_core.intake.snapshot import SourceFile, make_snapshot, settle

    settings = settle(path, path.name, SettingsRequest()).settings
    return make_snapshot([SourceFile(path.name, path, settings)], out / "snapshot")


WAYS = {"pravin": by_pravin, "pandas": by_pandas, "polars": by_polars, "effects": effects}


def main(arguments: list[str] | None = None) -> None:
    """One way alone (its time and memory are printed), as `python -m bench.rules pravin FILE`."""
    parser = argparse.ArgumentParser()
    parser.add_argument("way", choices=[*WAYS, "table"])
    parser.add_argument("file", type=Path)
    parser.add_argument("--records", type=int, default=1_100_000)
    parser.add_argument("--few", action="store_true", help="checks that hardly any record breaks")
    options = parser.parse_args(arguments)
    if options.way == "table":
        write_table(options.file, options.records)
        return
    with tempfile.TemporaryDirectory() as out:
        begun = time.perf_counter()
        alone = WAYS[options.way](options.file, Path(out), FEW if options.few else MANY)
        seconds = time.perf_counter() - begun
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    print(
        json.dumps({"way": options.way, "seconds": round(seconds, 1), "after reading": round(alone, 1), "MB": memory})
    )


if __name__ == "__main__":
    main()
