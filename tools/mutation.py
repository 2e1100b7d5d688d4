"""How strong the tests of the core are: small faults are put into a copy of the code, and the tests that cover them must fail.

The faults are those of cosmic-ray (operators, numbers, comparisons, conditions, loops, exceptions), drawn at random from the
packages in which a fault would make a result silently wrong. Which tests cover which line comes from one run with coverage.
"""

from __future__ import annotations

import argparse
import ast
import json
import os
import random
import re
import shutil
import sqlite3
import subprocess
import sys
import xml.etree.ElementTree as ET
from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import SimpleQueue

from tools import setup
from tools.paths import PYTHON, ROOT, VAR

PACKAGES = ("compiler", "runs", "rules", "records")
RESULT = ROOT / "core" / "tests" / "mutation.json"
PLACE = VAR / "mutation"
WORKERS = 2
PATIENCE = 90  # seconds of tests, by their durations before, that one fault is given
LIMIT = 300  # seconds after which a fault counts as one that never ends


@dataclass(frozen=True)
class Fault:
    """A change that an operator of cosmic-ray makes at its nth place in a file, and where that is."""

    path: str  # from the root, of the file
    operator: str
    occurrence: int
    line: int
    column: int

    @property
    def package(self) -> str:
        return self.path.split("/")[2]


def main(arguments: Sequence[str]) -> int:
    """Measure on a sample; print the survivors and the score of each package, and write them down."""
    parser = argparse.ArgumentParser(prog="pravin mutate", description=__doc__)
    parser.add_argument("--sample", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument(
        "--package", choices=PACKAGES, action="append", help="only this one; may be given several times"
    )
    parser.add_argument("--tests", nargs="+", default=["core/tests"], help="only these; with --map")
    parser.add_argument("--map", action="store_true", help="find out anew which tests cover which lines")
    options = parser.parse_args(arguments)
    setup.need_mutation()
    tests = _tests_by_line(options.tests, anew=options.map)
    faults = _sample(options.package or PACKAGES, options.sample, options.seed)
    killed: Counter[str] = Counter()
    survivors: list[Fault] = []
    for fault, is_killed in _tried(faults, tests):
        killed[fault.package] += is_killed
        if not is_killed:
            survivors.append(fault)
            print(f"survived: {fault.path}:{fault.line}:{fault.column} {fault.operator}", flush=True)
    every = Counter(fault.package for fault in faults)
    results = {
        "seed": options.seed, "tests": options.tests, "faults": len(faults), "killed": sum(killed.values()),
        "packages": {name: {"faults": every[name], "killed": killed[name]} for name in sorted(every)},
        "survivors": [f"{survivor.path}:{survivor.line}:{survivor.column} {survivor.operator}" for survivor in survivors],
    }  # fmt: skip
    RESULT.write_text(json.dumps(results, indent=1) + "\n")
    print(summary())
    return 0


def summary() -> str:
    """The last measured scores in a line each; what to run when there are none."""
    if not RESULT.exists():
        return "mutation: not measured; run ./pravin mutate"
    content = json.loads(RESULT.read_text())
    lines = [
        f"  {name:<10}{of['killed']:>5,} of {of['faults']:,} ({of['killed'] / of['faults']:.0%})"
        for name, of in content["packages"].items()
    ]
    share = content["killed"] / content["faults"]
    return "\n".join(
        [
            f"mutation  {content['killed']:,} of {content['faults']:,} faults killed ({share:.0%}), seed {content['seed']}, by {' '.join(content['tests'])}",
            *lines,
        ]
    )


def _sample(packages: Sequence[str], count: int, seed: int) -> list[Fault]:
    """Faults drawn at random, the same for the same seed and code."""
    every = [fault for package in packages for file in _files(package) for fault in _faults(file)]
    return random.Random(seed).sample(every, min(count, len(every)))


def _files(package: str) -> list[Path]:
    return sorted((ROOT / "core" / "pravin_core" / package).rglob("*.py"))


def _faults(file: Path) -> Iterator[Fault]:
    from cosmic_ray.ast import ast_nodes, get_ast
    from cosmic_ray.plugins import get_operator, operator_names

    types = _annotations(file.read_text())
    tree = get_ast(file.read_text())
    for name in sorted(operator_names()):
        try:
            operator = get_operator(name)()
        except TypeError:  # it wants to be told which variables are meant
            continue
        if "no_op" in name:
            continue
        occurrence = 0
        for node in ast_nodes(tree):
            for start, _ in operator.mutation_positions(node):
                if not any(begin <= start < end for begin, end in types):
                    yield Fault(str(file.relative_to(ROOT)), name, occurrence, *start)
                occurrence += 1


def _annotations(text: str) -> list[tuple[tuple[int, int], tuple[int, int]]]:
    """Where types stand: `int | None` is no computation."""
    results: list[ast.expr] = []
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.AnnAssign | ast.arg) and node.annotation:
            results.append(node.annotation)
        elif isinstance(node, ast.FunctionDef) and node.returns:
            results.append(node.returns)
    return [((a.lineno, a.col_offset), (a.end_lineno or 0, a.end_col_offset or 0)) for a in results]


Tests = dict[str, dict[int, list[tuple[float, str]]]]


def _tests_by_line(chosen: Sequence[str], anew: bool) -> Tests:
    """For each file and line the tests that run it, with the seconds that they take."""
    data, times = PLACE / "coverage", PLACE / "times.xml"
    if anew or not data.exists():
        copy = _copy("map")
        run = [str(PYTHON), "-m", "pytest", "-q", "-n", str(WORKERS), "-p", "no:cacheprovider", *chosen]
        run += ["--cov=pravin_core", "--cov-context=test", "--cov-report=", f"--junitxml={times}"]
        setup.say("finding out which tests cover which lines (some minutes)")
        subprocess.run(run, cwd=copy, env={**_environment(), "COVERAGE_FILE": str(data)}, check=True)
    seconds = {_name(case): float(case.get("time", 0)) for case in ET.parse(times).iter("testcase")}
    tests: Tests = defaultdict(lambda: defaultdict(list))
    with sqlite3.connect(data) as con:
        rows = con.execute(
            "SELECT path, context, numbits FROM line_bits JOIN file ON file.id = file_id JOIN context ON context.id = context_id"
        )
        for path, context, bits in rows:
            test = context.split("|")[0]
            if not test:
                continue
            file = "core/" + path.split("/core/", 1)[1]
            took = seconds.get(re.sub(r"^.*core/tests/", "core/tests/", test), 5.0)
            for number in _numbers(bits):
                tests[file][number].append((took, test))
    return tests


def _numbers(bits: bytes) -> Iterator[int]:
    for at, byte in enumerate(bits):
        yield from (at * 8 + bit for bit in range(8) if byte & (1 << bit))


def _name(case: ET.Element) -> str:
    return f"{str(case.get('classname')).replace('.', '/')}.py::{case.get('name')}"


def _tried(faults: Sequence[Fault], tests: Tests) -> Iterator[tuple[Fault, bool]]:
    """Each fault, and whether a test failed with it."""
    copies: SimpleQueue[Path] = SimpleQueue()
    for number in range(WORKERS):
        copies.put(_copy(f"worker-{number}"))

    def attempt(fault: Fault) -> tuple[Fault, bool]:
        copy = copies.get()
        try:
            return fault, _is_killed(fault, copy, _chosen(fault, tests))
        finally:
            copies.put(copy)

    with ThreadPoolExecutor(WORKERS) as pool:
        yield from pool.map(attempt, faults)


def _chosen(fault: Fault, tests: Tests) -> list[str]:
    """The tests that run the line, the quickest first, as many as there is patience for; for what runs when the module is
    loaded, those of the whole module.
    """
    lines = tests.get(fault.path, {})
    covering = lines.get(fault.line) or [test for those in lines.values() for test in those]
    names: list[str] = []
    total = 0.0
    for took, name in sorted(set(covering)):
        total += took
        if names and (total > PATIENCE or len(names) >= 400):
            break
        names.append(name)
    return names


def _is_killed(fault: Fault, copy: Path, names: Sequence[str]) -> bool:
    if not names:
        return False
    change = (
        "import sys; from pathlib import Path; from cosmic_ray.mutating import apply_mutation; from cosmic_ray.plugins import "
        "get_operator; apply_mutation(Path(sys.argv[1]), get_operator(sys.argv[2])(), int(sys.argv[3]))"
    )
    file = copy / fault.path
    before = file.read_text()
    try:
        subprocess.run([sys.executable, "-c", change, str(file), fault.operator, str(fault.occurrence)], check=True)
        run = [str(PYTHON), "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *names]
        done = subprocess.run(run, cwd=copy, env=_environment(), timeout=LIMIT, capture_output=True, check=False)
        return done.returncode != 0
    except subprocess.TimeoutExpired:
        return True
    finally:
        file.write_text(before)


def _copy(name: str) -> Path:
    place = PLACE / name
    shutil.rmtree(place, ignore_errors=True)
    shutil.copytree(
        ROOT, place, ignore=shutil.ignore_patterns("var", "node_modules", ".git", "web", ".mypy_cache", "__pycache__")
    )
    return place


def _environment() -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": "core:server:.", "PYTHONDONTWRITEBYTECODE": "1"}


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
