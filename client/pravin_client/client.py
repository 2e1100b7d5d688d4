"""The work of a delivery, from its files to its release, over the API."""

from __future__ import annotations

import hashlib
import json
import tempfile
import time
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from pathlib import Path
from typing import Any, Self

from pravin_client.connection import Connection
from pravin_client.errors import Refused, WorkFailed, WrongUse
from pravin_client.operations import Operation, operation_named, operations_of
from pravin_client.uploads import Progress, send_file

CONFLICT = 409
PAGE = 500  # rows of one request
LOOKS = (0.1, 0.2, 0.4, 0.8, 1.6, 3.0)  # seconds between two looks at work that goes on
FORMS = {"csv", "tsv", "xlsx", "jsonl", "parquet"}


def _silent(name: str, here: int, size: int) -> None:
    """Nobody wants to know how far a file is."""


class Client:
    """Pravin at `address`, for the owner of `token`. What methods return is the JSON of the API's description."""

    def __init__(self, address: str, token: str = "", connection: Connection | None = None) -> None:
        self.connection = connection or Connection(address, token)

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.connection.close()

    @cached_property
    def operations(self) -> dict[str, Operation]:
        """Every operation of the server, by its name."""
        return operations_of(self.connection.ask("GET", "/api/openapi.json"))

    def call(self, name: str, body: Any = None, key: str = "", **parameters: Any) -> Any:
        """Any operation by its name: `call("quarantine.decide", {"kind": ...}, delivery_id=3)`.

        `key`: the same key twice is carried out once. Raises WrongUse, Refused, Unreachable.
        """
        operation = operation_named(self.operations, name)
        if body is not None and not operation.takes_body:
            raise WrongUse(f"{name} takes no body.")
        path, query = operation.place(parameters)
        return self.connection.ask(operation.method, path, query, body, key=key)

    def feeds(self) -> list[dict[str, Any]]:
        """All feeds, those that wait for a person first."""
        feeds: list[dict[str, Any]] = self.connection.ask("GET", "/api/feeds")
        return feeds

    def make_feed(self, name: str, supplier: str = "", about: str = "", key: str = "") -> dict[str, Any]:
        """Create a feed."""
        body = {"name": name, "supplier": supplier, "about": about}
        feed: dict[str, Any] = self.connection.ask("POST", "/api/feeds", body=body, key=key)
        return feed

    def deliver(self, feed: str, files: Sequence[Path], again: bool = False, progress: Progress = _silent) -> int:
        """Send files as one delivery; returns its id. The same bytes a second time are the delivery that they were, unless they are
        wanted `again`.
        """
        keys = [send_file(self.connection, feed, file, progress) for file in files]
        try:
            taken = self.connection.ask(
                "POST", f"/api/feeds/{feed}/deliveries/of-uploads", body={"uploads": keys, "again": again}
            )
        except Refused as refused:
            before = refused.where.get("delivery")
            if refused.status != CONFLICT or not isinstance(before, int):
                raise
            for key in keys:
                self.connection.ask("DELETE", f"/api/uploads/{key}")
            return before
        return int(taken["id"])

    def delivery(self, delivery: int) -> dict[str, Any]:
        """A delivery as it is."""
        state: dict[str, Any] = self.connection.ask("GET", f"/api/deliveries/{delivery}")
        return state

    def wait(self, delivery: int, seconds: float = 3600) -> dict[str, Any]:
        """Wait until nothing goes on with a delivery; returns it. Raises WorkFailed when the last work failed, or after `seconds`."""
        ends = time.monotonic() + seconds
        for pause in _looks():
            state = self.delivery(delivery)
            if state["job"] is None:
                return _unless_failed(state["last_job"], state, delivery)
            if time.monotonic() + pause > ends:
                step = state["job"]["step"] or state["job"]["state"]
                raise WorkFailed(f"Delivery {delivery} is not done after {seconds:g} seconds: {step}.")
            time.sleep(pause)
        raise AssertionError("looks never end")

    def take_rules(self, feed: str, text: str, key: str = "") -> dict[str, Any]:
        """Take over a rulebook, as text in YAML or JSON; returns the revision that was made."""
        newest = self.connection.ask("GET", f"/api/feeds/{feed}/rulebook")["revision"]["number"]
        body = {"text": text, "based_on": newest}
        taken: dict[str, Any] = self.connection.ask("POST", f"/api/feeds/{feed}/rulebook-text", body=body, key=key)
        return taken

    def findings(self, delivery: int) -> list[dict[str, Any]]:
        """What was noticed in a delivery, the heaviest first."""
        return list(self.connection.ask("GET", f"/api/deliveries/{delivery}/findings"))

    def run(self, delivery: int, key: str = "") -> dict[str, Any]:
        """Run the rulebook over a delivery, to the end; returns the run. Raises WorkFailed when it was stopped."""
        started = self.connection.ask("POST", f"/api/deliveries/{delivery}/runs", key=key)
        self.wait(delivery)
        run: dict[str, Any] = self.connection.ask("GET", f"/api/runs/{started['id']}")
        return run

    def quarantine(self, delivery: int) -> Iterator[dict[str, Any]]:
        """The quarantined records of a delivery, with their reasons."""
        offset = 0
        while True:
            query = {"offset": offset, "limit": PAGE}
            page = self.connection.ask("GET", f"/api/deliveries/{delivery}/quarantine/records", query)
            yield from page["rows"]
            offset += len(page["rows"])
            if not page["rows"] or offset >= page["total"]:
                return

    def quarantine_file(self, delivery: int, target: Path, form: str = "csv") -> None:
        """The quarantined records of a delivery as a file."""
        self.connection.fetch(f"/api/deliveries/{delivery}/quarantine/file", target, {"form": form})

    def decide(self, delivery: int, decisions: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
        """Make decisions one after the other, then run once; returns the delivery. The same list again decides nothing twice."""
        same = hashlib.sha256(json.dumps(decisions, sort_keys=True).encode()).hexdigest()
        for place, decision in enumerate(decisions):
            body = {**decision, "apply": False}
            key = f"{delivery}-{place}-{same}"
            self.connection.ask("POST", f"/api/deliveries/{delivery}/decisions", body=body, key=key)
        self.connection.ask("POST", f"/api/deliveries/{delivery}/decisions/apply", key=f"{delivery}-apply-{same}")
        return self.wait(delivery)

    def propose(self, delivery: int, word: str = "", key: str = "") -> dict[str, Any]:
        """Propose the newest run of a delivery for release."""
        body = {"run": self._newest_run(delivery), "word": word}
        proposal: dict[str, Any] = self.connection.ask(
            "POST", f"/api/deliveries/{delivery}/proposal", body=body, key=key
        )
        return proposal

    def publish(self, delivery: int, word: str = "", key: str = "") -> dict[str, Any]:
        """Publish the newest run of a delivery, to the end; returns the release. Raises Refused when a gate is not met."""
        body = {"run": self._newest_run(delivery), "word": word}
        self.connection.ask("POST", f"/api/deliveries/{delivery}/release", body=body, key=key)
        self.wait(delivery)
        release: dict[str, Any] = self.connection.ask("GET", f"/api/deliveries/{delivery}/release")["release"]
        return release

    def download(self, release: int, target: Path, form: str = "csv") -> None:
        """A release as a file: csv, tsv, xlsx, jsonl, parquet, or the whole package."""
        if form == "package":
            self.connection.fetch(f"/api/releases/{release}/package", target)
        elif form in FORMS:
            self.connection.fetch(f"/api/releases/{release}/data", target, {"form": form})
        else:
            raise WrongUse(f"A release does not go out as {form}, but as {', '.join(sorted(FORMS))} or package.")

    def verify(self, release: int) -> dict[str, bool]:
        """Whether each file of a release's package has the checksum that the package names."""
        with tempfile.TemporaryDirectory() as folder:
            package = Path(folder) / "package.zip"
            self.download(release, package, "package")
            return verified(package)

    def events(self, after: int = 0) -> list[dict[str, Any]]:
        """What was done after an entry of the activity, the oldest first; at most a page."""
        query = {"after": after, "limit": PAGE}
        return list(self.connection.ask("GET", "/api/activity", query)["events"])

    def _newest_run(self, delivery: int) -> int:
        run = self.delivery(delivery)["run"]
        if run is None:
            raise WrongUse(f"The rulebook has not been run over delivery {delivery} yet.")
        return int(run["id"])


def verified(package: Path) -> dict[str, bool]:
    """For each file that the checksums of a package name: whether it is there and has that checksum."""
    with zipfile.ZipFile(package) as held:
        names = set(held.namelist())
        sums = held.read("SHA256SUMS").decode()
        pairs = [line.split(maxsplit=1) for line in sums.splitlines() if line.strip()]
        return {name: name in names and _digest_in(held, name) == digest for digest, name in pairs}


def _digest_in(held: zipfile.ZipFile, name: str) -> str:
    with held.open(name) as file:
        digest = hashlib.sha256()
        while piece := file.read(2**20):
            digest.update(piece)
        return digest.hexdigest()


def _looks() -> Iterator[float]:
    yield from LOOKS
    while True:
        yield LOOKS[-1]


def _unless_failed(job: dict[str, Any] | None, state: dict[str, Any], delivery: int) -> dict[str, Any]:
    if job and job["state"] in ("failed", "cancelled"):
        why = (job["error"] or {}).get("detail") or f"it was {job['state']}"
        raise WorkFailed(f"The work on delivery {delivery} ({job['kind']}) ended badly: {why}")
    return state
