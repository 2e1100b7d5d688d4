"""Figures of the code: how much of it tests it, by house, and how strong the tests are; generated
files and migrations aside.
"""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from tools import mutation
from tools.paths import ROOT

LEAST = 0.20  # of the lines of each house
HOUSES = {
    "core": (("core/pravin_core", "*.py"), ("core/tests", "*.py")),
    "client": (("client/pravin_client", "*.py"), ("client/tests", "*.py")),
    "server": (("server/pravin_server", "*.py"), ("server/tests", "*.py")),
    "web": (("web/src", "*.ts *.vue"), ("browser_tests", "*.py")),
}
GENERATED = ("migrations", "schema.d.ts")


def main() -> int:
    """Print the figures; 0."""
    code_all = tests_all = 0
    print(f"{'':<8}{'code':>8}{'tests':>8}{'share':>8}")
    for house, (code_in, tests_in) in HOUSES.items():
        code, beside = _lines(*code_in)
        tests = (
            beside + sum(_lines(*tests_in)) + (_count([ROOT / "server" / "conftest.py"]) if house == "server" else 0)
        )
        code_all, tests_all = code_all + code, tests_all + tests
        print(_line(house, code, tests))
    print(_line("all", code_all, tests_all))
    print(mutation.summary())
    return 0


def _line(house: str, code: int, tests: int) -> str:
    share = tests / (code + tests)
    return f"{house:<8}{code:>8,}{tests:>8,}{share:>8.1%}{'' if share >= LEAST else f'   less than {LEAST:.0%}'}"


def _lines(folder: str, patterns: str) -> tuple[int, int]:
    """Lines of code below a folder, and of the tests that stand beside it."""
    files = [file for pattern in patterns.split() for file in (ROOT / folder).rglob(pattern) if not _is_generated(file)]
    tests = [file for file in files if ".test." in file.name]
    return _count(file for file in files if ".test." not in file.name), _count(tests)


def _is_generated(file: Path) -> bool:
    return any(part in GENERATED for part in file.parts)


def _count(files: Iterable[Path]) -> int:
    """Lines that are not blank."""
    return sum(bool(line.strip()) for file in files for line in file.read_text().splitlines())
