"""Publishing a release of a running application against a bare binary COPY of the table that it makes, in turns.

`python -m bench publishing [--records 1100000] [--runs 3]`: at first, and after twenty earlier releases of the same feed. The bare
COPY reads a file that PostgreSQL wrote itself into a table without a key or an index.
"""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from psycopg import sql

from bench.faults import database
from bench.load import wait
from bench.server import Client, started

HERE = Path(__file__).resolve().parent
SLUG, EARLIER, SMALL = "publishing", 20, 20_000
_PIECE = 1 << 16


def measure(records: int, runs: int) -> None:
    """Print the seconds of publishing and of the bare COPY, their ratio, and the most memory a process of the application took."""
    with tempfile.TemporaryDirectory(prefix="pravin-publishing-") as place, started(Path(place)) as address:
        var = Path(place)
        analyst, approver = Client(address, "marlo"), Client(address, "tessen")
        rules = json.loads((HERE / "rulebook.json").read_text())["rules"]
        analyst("POST", "/feeds", {"name": SLUG})
        every = [rule for rule in rules if rule["kind"] in ("trim-spaces", "missing-tokens", "to-number", "to-date")]
        analyst("PUT", f"/feeds/{SLUG}/rulebook", {"based_on": 0, "change": "first", "rules": every})
        approver("PUT", f"/feeds/{SLUG}/released", {"adds_up": "adds", "shows_origin": True})
        large = _delivered(analyst, var, records)
        print(f"{records:,} records x 31 columns, {runs} runs, medians", flush=True)
        _compared("with no earlier release", approver, var, large, runs)
        for number in range(EARLIER):
            _published(approver, _delivered(analyst, var, SMALL + number))
        _compared(f"with {EARLIER} earlier releases", approver, var, large, runs)


def _delivered(analyst: Client, var: Path, records: int) -> int:
    """A delivery of so many records, read and run; its id."""
    file = var / f"table-{records}.txt"
    subprocess.run([sys.executable, "-m", "bench.table", str(file), str(records)], check=True)
    delivery = analyst.upload(SLUG, file.name, file.read_bytes())
    file.unlink()
    wait(analyst, delivery["job"]["id"])
    wait(analyst, analyst("POST", f"/deliveries/{delivery['id']}/runs")["job"]["id"])
    return int(delivery["id"])


def _published(approver: Client, delivery: int) -> tuple[Any, float]:
    """Publish a delivery; the release, and the seconds of it that went by before its job was asked for (gates, differences)."""
    began = time.perf_counter()
    run = approver.get(f"/deliveries/{delivery}/release")["run"]
    asked = approver("POST", f"/deliveries/{delivery}/release", {"run": run})
    before = time.perf_counter() - began
    wait(approver, asked["job"]["id"] if isinstance(asked["job"], dict) else asked["job"])
    return next(release for release in approver.get("/releases") if release["id"] == asked["id"]), before


def _compared(name: str, approver: Client, var: Path, delivery: int, runs: int) -> None:
    ours, bare, asking = [], [], []
    _forget_peaks(var)
    for _ in range(runs):
        began = time.perf_counter()
        release, before = _published(approver, delivery)
        asking.append(before)
        ours.append(time.perf_counter() - began)
        bare.append(_bare_copy(var, release["table"]))
        approver("POST", f"/releases/{release['id']}/withdraw", {"justification": "measured", "ends_view": True})
    ratios = sorted(a / b for a, b in zip(ours, bare, strict=True))
    print(
        f"{name:28} published {statistics.median(ours):6.2f} s   bare COPY {statistics.median(bare):6.2f} s   ratio {statistics.median(ratios):5.2f}"
        f" ({ratios[0]:.2f} to {ratios[-1]:.2f})"
        f"   (asking {statistics.median(asking):4.2f} s)   most memory {_peak(var):6.0f} MB",
        flush=True,
    )


def _bare_copy(var: Path, table: str) -> float:
    """Seconds of filling a table of the same columns from a file of the same rows in PostgreSQL's binary form."""
    file = var / "bare.bin"
    source, target = sql.Identifier("released", table), sql.Identifier("bare_copy")
    with database(var) as con, con.cursor() as cursor:
        with cursor.copy(sql.SQL("COPY {} TO STDOUT (FORMAT BINARY)").format(source)) as out, file.open("wb") as to:
            for piece in out:
                to.write(piece)
        cursor.execute(sql.SQL("CREATE TABLE {} (LIKE {})").format(target, source))
        began = time.perf_counter()
        with cursor.copy(sql.SQL("COPY {} FROM STDIN (FORMAT BINARY)").format(target)) as into, file.open("rb") as read:
            while piece := read.read(_PIECE):
                into.write(piece)
        seconds = time.perf_counter() - began
        cursor.execute(sql.SQL("DROP TABLE {}").format(target))
    return seconds


def _own_processes(var: Path) -> list[Path]:
    """The processes of the application but PostgreSQL's."""
    own = []
    for folder in Path("/proc").glob("[0-9]*"):
        try:
            if (
                str(var).encode() in (folder / "environ").read_bytes()
                and b"postgres" not in (folder / "cmdline").read_bytes()
            ):
                own.append(folder)
        except OSError:
            continue
    return own


def _forget_peaks(var: Path) -> None:
    for folder in _own_processes(var):
        (folder / "clear_refs").write_text("5")


def _peak(var: Path) -> float:
    """MB that the largest process held at most since peaks were forgotten."""
    peaks = [0.0]
    for folder in _own_processes(var):
        for line in (folder / "status").read_text().splitlines():
            if line.startswith("VmHWM"):
                peaks.append(int(line.split()[1]) / 1024)
    return max(peaks)
