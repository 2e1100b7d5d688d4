"""Read one file of delimited text into a snapshot, as the application does: python -m bench.intake FILE WORK."""

from __future__ import annotations

import sys
from pathlib import Path

from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import SourceFile, make_snapshot, settle


def main() -> None:
    file, work = Path(sys.argv[1]), Path(sys.argv[2])
    detected = settle(file, file.name, SettingsRequest())
    snapshot = make_snapshot([SourceFile(file.name, file, detected.settings)], work)
    counts = snapshot.files[0]
    if counts.lane != "fast" or counts.lines != counts.header + counts.records:
        sys.exit(f"not every line is accounted for by the fast lane: {counts}")


if __name__ == "__main__":
    main()
