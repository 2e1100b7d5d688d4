"""Plain pandas scripts doing comparable work: python -m bench.plain profile|run FILE [OUT]."""

from __future__ import annotations

import sys
from pathlib import Path

import pandas as pd

READINGS = [f"reading_{n}" for n in range(12)]
PLACES = [f"place_{n}" for n in range(9)]
COUNTS = [f"count_{n}" for n in range(8)]


def profile(path: Path) -> None:
    frame = pd.read_csv(path, sep="|")
    frame.describe(include="all")
    frame.isna().sum()
    frame.nunique()
    for name in frame:
        frame[name].value_counts().head(50)


def run(path: Path, out: Path) -> None:
    frame = pd.read_csv(path, sep="|", dtype=str, keep_default_na=False)
    for name in frame:
        cleaned = frame[name].str.strip()
        frame[name] = cleaned.mask(cleaned.str.lower().isin(["n/a", "-", ""]))
    failed = pd.Series("", index=frame.index)
    for name in READINGS + COUNTS:
        number = pd.to_numeric(frame[name], errors="coerce")
        failed = failed.mask(number.isna() & frame[name].notna(), failed + name + " could not be read; ")
        frame[name] = number
    frame["sampled_on"] = pd.to_datetime(frame["sampled_on"], format="%Y-%m-%d", errors="coerce")
    frame, failed = frame[~frame.duplicated("sample_id")], failed[~frame.duplicated("sample_id")]
    for name in READINGS[:3]:
        failed = failed.mask((frame[name] < 0) | (frame[name] > 12), failed + name + " is outside; ")
    failed = failed.mask(frame["place_0"].isna(), failed + "place_0 is missing; ")
    failed = failed.mask(frame["sample_id"].duplicated(keep=False), failed + "sample_id occurs more than once; ")
    failed = failed.mask(~frame["sample_id"].str.fullmatch("WQ-[0-9]{8}"), failed + "sample_id does not match; ")
    quarantined = failed != ""
    out.mkdir(parents=True, exist_ok=True)
    frame[~quarantined].to_csv(out / "ready.csv", index=False)
    frame[quarantined].assign(reasons=failed[quarantined]).to_csv(out / "quarantined.csv", index=False)


if __name__ == "__main__":
    task, file, *rest = sys.argv[1:]
    profile(Path(file)) if task == "profile" else run(Path(file), Path(rest[0]))
