"""Kill parts of a running application at random moments while deliveries go from upload to withdrawal, and see that
nothing is lost, doubled, left hanging, or has to be started by hand.

`python -m bench faults [--kills 200] [--seed 1]`; it stops with the first fault it finds.
"""

from __future__ import annotations

import hashlib
import json
import os
import random
import signal
import statistics
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from threading import Thread
from typing import Any

import psycopg

from bench.server import Client, Refused, started

PATIENCE = 60.0  # seconds until everything must have ended
OVER = ("done", "failed", "cancelled")
RULES = [
    {"kind": "to-number", "id": "n", "columns": ["ph"]},
    {"kind": "in-range", "id": "r", "columns": ["ph"], "low": "0", "high": "14"},
]


class Fault(Exception):
    """Something was lost, doubled or left hanging."""


class Killer:
    """Ends one part of the application, chosen and timed by chance."""

    def __init__(self, var: Path, chance: random.Random) -> None:
        self.var, self.chance = var, chance
        self.killed: Counter[str] = Counter()

    def within(self, seconds: float) -> Thread:
        """Kill once, at a moment within the next seconds."""
        part = self.chance.choice(("worker", "web", "backend", "postmaster", "all"))
        wait = self.chance.uniform(0.0, seconds)

        def kill() -> None:
            time.sleep(wait)
            self._kill(part)

        thread = Thread(target=kill)
        thread.start()
        return thread

    def _kill(self, part: str) -> None:
        self.killed[part] += 1
        if part in ("worker", "all"):
            self._kill_all(lambda command: "--queues work" in command)
        if part == "web":
            processes = self._found(lambda command: "gunicorn" in command)
            self._end(self.chance.choice(processes) if processes else 0)
        if part == "all":
            self._kill_all(lambda command: "gunicorn" in command)
        if part == "backend":
            self._end_backends()
        if part in ("postmaster", "all"):
            data = str(self.var)
            self._kill_all(lambda command: "postgres -D" in command and data in command)

    def _found(self, wanted: Callable[[str], bool]) -> list[int]:
        """Processes of this application: those whose environment names its data, and PostgreSQL's first."""
        results = []
        for folder in Path("/proc").glob("[0-9]*"):
            try:
                command = (folder / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
                own = str(self.var).encode() in (folder / "environ").read_bytes() or str(self.var) in command
            except OSError:
                continue
            if own and wanted(command) and int(folder.name) != os.getpid():
                results.append(int(folder.name))
        return results

    def _kill_all(self, wanted: Callable[[str], bool]) -> None:
        for number in self._found(wanted):
            self._end(number)

    def _end(self, number: int) -> None:
        try:
            if number:
                os.kill(number, signal.SIGKILL)
        except ProcessLookupError:
            return

    def _end_backends(self) -> None:
        try:
            with database(self.var) as con:
                rows = con.execute(
                    "SELECT pid FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()"
                ).fetchall()
                for (number,) in self.chance.sample(rows, k=min(2, len(rows))):
                    con.execute("SELECT pg_terminate_backend(%s)", [number])
        except psycopg.Error:
            return


def database(var: Path) -> psycopg.Connection[Any]:
    state = json.loads((var / "postgres.json").read_text())
    who = {name: state[name] for name in ("port", "user", "password")}
    return psycopg.connect(dbname=state.get("database", "pravin"), host="127.0.0.1", autocommit=True, **who)


class Journey:
    """One delivery from upload to withdrawal, each step disturbed once."""

    def __init__(self, client: Client, killer: Killer, number: int, seed: int) -> None:
        self.client, self.killer = client, killer
        self.records = 40_000 + 1000 * (seed % 7)
        self.data = b"id|site|ph\n" + b"".join(b"%d|S%d|%d\n" % (n, n % 9, n % 20) for n in range(self.records))
        self.slug = f"feed-{number}"
        self.delivery = 0
        self.again: Counter[str] = Counter()
        self.seconds: list[float] = []

    def go(self) -> None:
        self._asked(lambda: self.client("POST", "/feeds", {"name": self.slug}), lambda: self._known())
        book = {"based_on": 0, "change": "first", "rules": RULES}
        self._asked(lambda: self.client("PUT", f"/feeds/{self.slug}/rulebook", book), lambda: self._revision() == 1)
        self._step("upload", 4.0, self._uploaded)
        self._step("run", 3.0, lambda: self._ran(0))
        self._step("decide", 1.5, self._decided)
        self._step("run again", 3.0, lambda: self._ran(1))
        self._step("publish", 4.0, self._published)
        self._step("withdraw", 1.5, self._withdrawn)

    def _step(self, name: str, usual: float, work: Callable[[], None]) -> None:
        kill = self.killer.within(usual)
        try:
            work()
        except Fault as error:
            raise Fault(f"{self.slug}, {name}: {error}") from error
        kill.join()
        begun = time.monotonic()
        self._idle(name)
        self.seconds.append(time.monotonic() - begun)
        self._whole()

    # what a person does

    def _uploaded(self) -> None:
        self._asked(
            lambda: self.client.upload(self.slug, "a.txt", self.data), lambda: len(self._deliveries()["deliveries"]) > 0
        )
        deliveries = self._deliveries()["deliveries"]
        if len(deliveries) != 1:
            raise Fault(f"one upload made {len(deliveries)} deliveries")
        self.delivery = deliveries[0]["id"]
        self._ended("read", lambda: self.client("POST", f"{self._path}/read"))

    def _ran(self, decisions: int) -> None:
        self._asked(lambda: self.client("POST", f"{self._path}/runs"), lambda: False)
        self._ended("run", lambda: self.client("POST", f"{self._path}/runs"))
        balance = self._balance()
        expected = sum(1 for n in range(self.records) if n % 20 > 14) - decisions
        if (balance["delivered"], balance["quarantined"]) != (self.records, expected):
            raise Fault(f"the balance is {balance}, quarantined should be {expected}")

    def _decided(self) -> None:
        body = {"records": [16], "kind": "accept", "justification": "seen"}
        self._asked(lambda: self.client("POST", f"{self._path}/decisions", body), self._has_decision)
        if not self._has_decision():
            raise Fault("the decision was said to be kept and is not there")

    def _has_decision(self) -> bool:
        return bool(self._read(f"{self._path}/quarantine")["decisions"])

    def _published(self) -> None:
        run = self._read(f"{self._path}/release")["run"]
        self._asked(lambda: self.client("POST", f"{self._path}/release", {"run": run}), lambda: bool(self._release()))
        self._ended(
            "publish",
            lambda: self.client("POST", f"{self._path}/release", {"run": run}),
            lambda: self._release().get("state") == "published",
        )
        release = self._release()
        ready = sum(1 for n in range(self.records) if n % 20 <= 14) + 1
        if (count := self._count(release["view"])) != ready:
            raise Fault(f"the released view holds {count} records, {ready} are ready")

    def _withdrawn(self) -> None:
        path = f"/releases/{self._release()['id']}/withdraw"
        self._asked(
            lambda: self.client("POST", path, {"justification": "test"}),
            lambda: self._release().get("state") == "withdrawn",
        )
        if self._release().get("state") not in ("withdrawn", None):
            raise Fault(f"the release is {self._release()['state']} after its withdrawal")

    # how a page behaves

    @property
    def _path(self) -> str:
        return f"/deliveries/{self.delivery}"

    def _asked(self, ask: Callable[[], Any], is_there: Callable[[], bool]) -> None:
        """Ask, and after an answer that never came look whether it was done before asking again."""
        deadline = time.monotonic() + PATIENCE
        while True:
            try:
                ask()
                return
            except Refused as error:
                if error.status == 409 and self._try(is_there):
                    return
                if error.status < 500 and error.status != 409:
                    raise Fault(str(error)) from error
                if error.status == 500:
                    raise Fault(f"answered 500: {error}") from error
            except OSError:
                pass
            if time.monotonic() > deadline:
                raise Fault("nobody answered for a minute")
            time.sleep(0.3)
            if self._try(is_there):
                return

    def _try(self, look: Callable[[], bool]) -> bool:
        try:
            return look()
        except (OSError, Refused):
            return False

    def _read(self, path: str) -> Any:
        deadline = time.monotonic() + PATIENCE
        while True:
            try:
                return self.client.get(path)
            except Refused as error:
                if error.status not in (502, 503):
                    raise Fault(f"GET {path} answered {error}") from error
            except OSError:
                pass
            if time.monotonic() > deadline:
                raise Fault(f"GET {path}: nobody answered for a minute")
            time.sleep(0.3)

    def _ended(self, kind: str, again: Callable[[], Any], is_done: Callable[[], bool] = lambda: True) -> None:
        """Wait until the work has ended; what failed is asked for again, as the page offers."""
        deadline = time.monotonic() + PATIENCE + 20
        while time.monotonic() < deadline:
            delivery = self._read(self._path)
            job = delivery["job"] or delivery["last_job"]
            if not delivery["job"] and job and job["state"] in OVER:
                if job["kind"] != kind or job["state"] == "done":
                    if is_done():
                        return
                elif job["state"] == "failed":
                    self.again[kind] += 1
                    self._asked(again, lambda: False)
            time.sleep(0.1)
        raise Fault(f"the work ({kind}) is still {delivery['job']} after {PATIENCE + 20:.0f} s")

    def _idle(self, name: str) -> None:
        deadline = time.monotonic() + PATIENCE
        while time.monotonic() < deadline:
            if self.delivery == 0 or not self._read(self._path)["job"]:
                return
            time.sleep(0.2)
        raise Fault(f"work goes on a minute after {name}")

    # what must hold

    def _whole(self) -> None:
        """The delivered bytes are there, once; the delivery and its runs are not doubled."""
        if not self.delivery:
            return
        files = self._read(f"{self._path}/files")
        expected = hashlib.sha256(self.data).hexdigest()
        if [file["sha256"] for file in files] != [expected]:
            raise Fault(f"the files are {files}")
        if hashlib.sha256(self._read(f"{self._path}/files/{files[0]['id']}/bytes")).hexdigest() != expected:
            raise Fault("the bytes of the file are others")
        if len(self._deliveries()["deliveries"]) != 1:
            raise Fault("the delivery was doubled")
        if self._read("/activity/check")["broken"] is not None:
            raise Fault("the record of activity is broken")

    def _deliveries(self) -> Any:
        return self._read(f"/feeds/{self.slug}")

    def _known(self) -> bool:
        return any(feed["slug"] == self.slug for feed in self._read("/feeds"))

    def _revision(self) -> int:
        return int(self._read(f"/feeds/{self.slug}/rulebook")["revision"]["number"])

    def _balance(self) -> Any:
        return self._read(self._path)["balance"]

    def _release(self) -> Any:
        return self._read(f"{self._path}/release")["release"] or {}

    def _count(self, view: str) -> int:
        deadline = time.monotonic() + PATIENCE
        while True:
            try:
                with database(self.killer.var) as con:
                    schema, _, name = view.rpartition(".")
                    row = con.execute(
                        psycopg.sql.SQL("SELECT count(*) FROM {}").format(
                            psycopg.sql.Identifier(schema or "released", name)
                        )
                    ).fetchone()
                    return int(row[0]) if row else -1
            except psycopg.OperationalError:
                if time.monotonic() > deadline:
                    raise
                time.sleep(0.3)


def main(kills: int, seed: int) -> int:
    chance = random.Random(seed)
    with tempfile.TemporaryDirectory(prefix="pravin-faults-") as folder, started(Path(folder)) as address:
        killer = Killer(Path(folder), chance)
        client = Client(address, "tessen")
        seconds: list[float] = []
        again: Counter[str] = Counter()
        number = 0
        while killer.killed.total() < kills:
            number += 1
            journey = Journey(client, killer, number, chance.randrange(1000))
            try:
                journey.go()
            except Fault as error:
                print(f"FAULT after {killer.killed.total()} kills {dict(killer.killed)}: {error}", flush=True)
                print((Path(folder) / "start.log").read_text()[-6000:])
                return 1
            seconds += journey.seconds
            again += journey.again
            print(f"{killer.killed.total():>4} kills {dict(killer.killed)}, asked again {dict(again)}", flush=True)
        print(f"{number} deliveries, nothing lost, doubled or left; idle after the last step within {max(seconds):.1f} s"
              f" (median {statistics.median(seconds):.1f} s)")  # fmt: skip
    return 0
