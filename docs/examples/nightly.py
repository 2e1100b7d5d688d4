"""What an orchestrator calls for each delivery: each step is a function that may be repeated, and fails with an exception."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from pravin_client import Client

ALLOWED = 0.05  # share of the records that may be quarantined


def take_in(pravin: Client, feed: str, files: list[Path]) -> int:
    """Send the files and wait until they are read; the id of the delivery. The same files again are the same delivery."""
    delivery = pravin.deliver(feed, files)
    pravin.wait(delivery)
    return delivery


def clean(pravin: Client, delivery: int) -> dict[str, int]:
    """Run the rulebook; the balance. Raises when too many records are quarantined, so that a person looks."""
    pravin.run(delivery, key=f"nightly-run-{delivery}")
    balance: dict[str, int] = pravin.delivery(delivery)["balance"]
    if balance["quarantined"] > ALLOWED * balance["delivered"]:
        raise SystemExit(
            f"{balance['quarantined']} of {balance['delivered']} records are quarantined: a person has to look"
        )
    return balance


def release(pravin: Client, delivery: int, target: Path) -> int:
    """Publish, and fetch the table; the id of the release."""
    published = int(pravin.publish(delivery, key=f"nightly-publish-{delivery}")["id"])
    pravin.download(published, target, "parquet")
    return published


if __name__ == "__main__":
    feed, target, *files = sys.argv[1:]
    with Client(os.environ["PRAVIN_ADDRESS"], os.environ["PRAVIN_TOKEN"]) as server:
        delivery = take_in(server, feed, [Path(file) for file in files])
        clean(server, delivery)
        print(release(server, delivery, Path(target)))
