"""The simulated outside world, on loopback: the agency's bulletin site, and suppliers that deliver and answer when asked.

python -m demo.outside PORT DROP_FOLDER
"""

from __future__ import annotations

import shutil
import sys
import tempfile
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

from demo.answering import answer_all, field_book
from demo.field_samples import write_month
from demo.lab_results import write_harbour, write_north
from demo.sites import sites_page

SEED = 7
FIRST = {"lab-results": (2024, 3), "field-samples": (2024, 4)}
PAUSE = 2.0  # seconds in which a file is half written, as a slow line would leave it

HOME = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Merrow basin river watch</title></head>
<body><h1>Merrow basin river watch</h1>
<p>A simulated site: the outside world of the demo. <a href="/sites.html">Sampling sites</a></p>
<form method="post" action="/send/lab-results"><button>Lab North and Lab Harbour: send the next month</button></form>
<form method="post" action="/send/field-samples"><button>Field teams: send the next month</button></form>
<form method="post" action="/answer/field-samples"><button>Field teams: answer the files for the supplier</button></form>
<p>{said}</p></body></html>
"""


class Supplier:
    """Writes the files of the next month into a feed's drop folder, slowly, as suppliers do."""

    def __init__(self, drop: Path) -> None:
        self._drop = drop
        self._sent = dict.fromkeys(FIRST, 0)

    def send(self, feed: str) -> str:
        """Send the next month's files; returns what was sent."""
        year, month = FIRST[feed]
        month += self._sent[feed]
        self._sent[feed] += 1
        year, month = year + (month - 1) // 12, (month - 1) % 12 + 1
        folder = self._drop / feed
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory() as place:
            if feed == "lab-results":
                files = [*write_north(Path(place), SEED, year, month, renamed=True)]
                files.append(write_harbour(Path(place), SEED, year, month))
            else:
                files = write_month(Path(place), SEED, year, month)
            for file in files:
                _write_slowly(file, folder / file.name)
        return f"Sent {', '.join(file.name for file in files)}."

    def answer(self, feed: str) -> str:
        """Answer the files that lie there for the field teams; returns what was answered."""
        names = answer_all(self._drop / feed, field_book(SEED, 2024, 1, 12), "sample_id")
        return f"Answered {', '.join(names)}." if names else "No file lies there for the field teams."


def _write_slowly(source: Path, target: Path) -> None:
    part = target.with_name(f"{target.name}.part")
    data = source.read_bytes()
    part.write_bytes(data[: len(data) // 2])
    time.sleep(PAUSE / 4)
    with part.open("ab") as file:
        file.write(data[len(data) // 2 :])
    shutil.move(part, target)


class Site(BaseHTTPRequestHandler):
    """The bulletin site. `supplier` is put in before it serves."""

    supplier: Supplier

    def do_GET(self) -> None:
        if self.path == "/sites.html":
            self._answer(200, sites_page(SEED)[0])
        elif self.path == "/":
            self._answer(200, HOME.format(said=""))
        else:
            self._answer(404, "<!doctype html><title>Not found</title><p>There is no such page.</p>")

    def do_POST(self) -> None:
        what, _, feed = self.path.removeprefix("/").partition("/")
        if what == "send" and feed in FIRST:
            self._answer(200, HOME.format(said=self.supplier.send(feed)))
        elif what == "answer" and feed == "field-samples":
            self._answer(200, HOME.format(said=self.supplier.answer(feed)))
        else:
            self._answer(404, "<!doctype html><title>Not found</title><p>There is no such supplier.</p>")

    def _answer(self, status: int, page: str) -> None:
        data = page.encode()
        self.send_response(status)
        self.send_header("Content-Type", "text/html; charset=utf-8")
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def log_message(self, format: str, *args: object) -> None:
        """Say nothing: the application's output is read by people."""


if __name__ == "__main__":
    Site.supplier = Supplier(Path(sys.argv[2]))
    ThreadingHTTPServer(("127.0.0.1", int(sys.argv[1])), Site).serve_forever()
