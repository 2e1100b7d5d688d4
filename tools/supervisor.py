"""Keeps processes running: starts them again when they die, stops them all together."""

from __future__ import annotations

import os
import signal
import subprocess
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from types import FrameType

from tools.paths import ROOT


@dataclass
class _Child:
    name: str
    command: list[str]
    environment: dict[str, str]
    process: subprocess.Popen[bytes] | None = None
    begun: float = field(default=0.0)

    def start(self) -> None:
        self.begun = time.monotonic()
        self.process = subprocess.Popen(self.command, cwd=ROOT, env=self.environment, start_new_session=True)

    def signal(self, number: int) -> None:
        if self.process and self.process.poll() is None:
            os.killpg(self.process.pid, number)


LOOK = 2.0  # seconds between looks at PostgreSQL
TRIES = 3


class Supervisor:
    """Runs children until SIGINT or SIGTERM; a child that dies is started again, not more often than once a second.

    `revive` looks after what all of them need (PostgreSQL): it returns whether that answers, having started it again if
    it did not. When it fails three times in a row, everything stops with one clear line.
    """

    def __init__(self, revive: Callable[[], bool] | None = None) -> None:
        self._children: list[_Child] = []
        self._stopping = False
        self._revive = revive
        self._failed = 0
        self._looked = time.monotonic()

    def _look_after(self) -> None:
        if self._revive is None or time.monotonic() - self._looked < LOOK:
            return
        self._failed = 0 if self._revive() else self._failed + 1
        self._looked = time.monotonic()
        if self._failed >= TRIES:
            print(f"pravin: PostgreSQL does not start ({TRIES} tries); stopping everything", flush=True)
            self._stopping = True

    def add(self, name: str, command: list[str], environment: dict[str, str]) -> None:
        """A process to keep running."""
        self._children.append(_Child(name, command, environment))

    def start(self) -> None:
        """Start all children."""
        for child in self._children:
            child.start()

    def watch(self) -> None:
        """Return when told to stop."""
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, self._stop)
        while not self._stopping:
            for child in self._children:
                if child.process and child.process.poll() is not None and time.monotonic() - child.begun > 1:
                    print(f"pravin: {child.name} ended with {child.process.returncode}; starting it again", flush=True)
                    child.start()
            self._look_after()
            time.sleep(0.2)

    def _stop(self, number: int, frame: FrameType | None) -> None:
        self._stopping = True

    def end(self) -> None:
        """Stop all children, those that do not listen by force."""
        for child in self._children:
            child.signal(signal.SIGTERM)
        deadline = time.monotonic() + 8
        while time.monotonic() < deadline and any(c.process and c.process.poll() is None for c in self._children):
            time.sleep(0.1)
        for child in self._children:
            child.signal(signal.SIGKILL)
