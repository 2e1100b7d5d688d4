"""Fifty people at once on one delivery, as pages ask: no error, how long pages take, whether memory stays.

`python -m bench load [--people 50] [--minutes 5] [--records 200000]`. A person looks at something, thinks for some
seconds, and looks at the next thing.
"""

from __future__ import annotations

import random
import statistics
import tempfile
import time
from collections import defaultdict
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Lock
from typing import Any

from bench.server import Client, Refused, started

THINKS = (1.0, 5.0)  # seconds, evenly
RULES = [
    {"kind": "trim-spaces", "id": "t", "columns": []},
    {"kind": "to-number", "id": "n", "columns": ["ph"]},
    {"kind": "in-range", "id": "r", "columns": ["ph"], "low": "0", "high": "14"},
]
WHO = ("marlo", "tessen", "viewer")


def prepared(client: Client, records: int) -> int:
    """A delivery that is read and run; gives its id."""
    client("POST", "/feeds", {"name": "Load"})
    rows = (
        b"%d|Site %d|%d.%d|2024-%02d-%02d| note %d\n" % (n, n % 40, n % 20, n % 10, n % 12 + 1, n % 28 + 1, n % 997)
        for n in range(records)
    )
    delivery = client.upload("load", "load.txt", b"id|site|ph|day|note\n" + b"".join(rows))
    client("PUT", "/feeds/load/rulebook", {"based_on": 0, "change": "first", "rules": RULES})
    wait(client, delivery["job"]["id"])
    wait(client, client("POST", f"/deliveries/{delivery['id']}/runs")["job"]["id"])
    return int(delivery["id"])


def wait(client: Client, job: int) -> None:
    while (now := client.get(f"/jobs/{job}"))["state"] != "done":
        if now["state"] == "failed":
            raise RuntimeError(f"job {job} failed: {now['error']}")
        time.sleep(0.3)


def pages(delivery: int, records: int, chance: random.Random) -> tuple[str, str, str, Any]:
    """What a person opens next: its name, and the request behind it."""
    base = f"/deliveries/{delivery}"
    column = chance.choice(("site", "ph", "day", "note"))
    from_ = chance.randrange(0, records - 200, 200)
    requests: tuple[tuple[str, str, str, Any], ...] = (
        ("feeds", "GET", "/feeds", None), ("delivery", "GET", base, None), ("profile", "GET", f"{base}/profile", None),
        ("findings", "GET", f"{base}/findings", None), ("records", "GET", f"{base}/records?offset={from_}&limit=200", None),
        ("records, sorted", "GET", f"{base}/records?offset=0&limit=200&sort={column}", None),
        ("values", "GET", f"{base}/values?name={column}", None), ("quarantine", "GET", f"{base}/quarantine", None),
        ("quarantined", "GET", f"{base}/quarantine/records?offset=0&limit=100", None), ("release", "GET", f"{base}/release", None),
        ("rules", "GET", "/feeds/load/rulebook", None), ("activity", "GET", "/activity", None),
    )  # fmt: skip
    return chance.choice(requests)


def memory(var: Path) -> float:
    """MB of all processes of the application but PostgreSQL's."""
    total = 0
    for folder in Path("/proc").glob("[0-9]*"):
        try:
            if (
                str(var).encode() in (folder / "environ").read_bytes()
                and b"postgres" not in (folder / "cmdline").read_bytes()
            ):
                total += int((folder / "statm").read_text().split()[1]) * 4096
        except OSError:
            continue
    return total / 2**20


def main(people: int, minutes: float, records: int) -> int:
    timings: dict[str, list[float]] = defaultdict(list)
    errors: list[str] = []
    lock = Lock()
    with tempfile.TemporaryDirectory(prefix="pravin-load-") as folder, started(Path(folder)) as address:
        delivery = prepared(Client(address, "tessen"), records)
        until = time.monotonic() + minutes * 60

        def person(number: int) -> None:
            chance = random.Random(number)
            time.sleep(chance.uniform(0, THINKS[1]))
            client = Client(address, WHO[number % len(WHO)])
            while time.monotonic() < until:
                name, method, path, body = pages(delivery, records, chance)
                begun = time.perf_counter()
                try:
                    client(method, path, body)
                except (Refused, OSError) as error:
                    with lock:
                        errors.append(f"{name}: {error}")
                with lock:
                    timings[name].append(time.perf_counter() - begun)
                time.sleep(chance.uniform(*THINKS))

        kept: list[float] = []
        with ThreadPoolExecutor(people) as everybody:
            running = [everybody.submit(person, number) for number in range(people)]
            while time.monotonic() < until:
                time.sleep(min(10, minutes * 6))
                kept.append(memory(Path(folder)))
            for times in running:
                times.result()
    every = sorted(seconds for times in timings.values() for seconds in times)
    print(f"{people} people, {len(every):,} pages on {records:,} records: {len(errors)} errors")
    for name, times in sorted(timings.items()):
        print(
            f"  {name:<16} {len(times):>5}  median {statistics.median(times) * 1000:6.0f} ms  95 % {quantile(times):6.0f} ms"
        )
    print(
        f"  {'all':<16} {len(every):>5}  median {statistics.median(every) * 1000:6.0f} ms  95 % {quantile(every):6.0f} ms"
    )
    third = max(1, len(kept) // 3)
    print(
        f"  memory {statistics.mean(kept[:third]):.0f} MB at first, {statistics.mean(kept[-third:]):.0f} MB at the end, {max(kept):.0f} MB at most"
    )
    for error in errors[:5]:
        print(f"  error: {error[:300]}")
    return 1 if errors else 0


def quantile(seconds: list[float]) -> float:
    """The 95th percentile, in ms."""
    return sorted(seconds)[min(len(seconds) - 1, int(len(seconds) * 0.95))] * 1000
