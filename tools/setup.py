"""Install what is missing; do nothing when nothing changed."""

from __future__ import annotations

import glob
import hashlib
import os
import shutil
import subprocess
import sys
from collections.abc import Iterable
from pathlib import Path

from tools.paths import CHROMIUM, INSTALLED, PYTHON, ROOT, VENV, WEB


def say(text: str) -> None:
    """Tell what is being done."""
    print(f"pravin: {text}", flush=True)


def need_packages(browser: bool = False) -> None:
    """Debian packages: PostgreSQL, and Chromium for the browser tests."""
    missing = [] if glob.glob("/usr/lib/postgresql/*/bin/initdb") else ["postgresql"]
    if browser and not CHROMIUM.exists():
        missing.append("chromium")
    if not missing:
        return
    command = ["apt-get", "install", "-y", "--no-install-recommends", *missing]
    if os.geteuid() != 0:
        sys.exit(f"{' and '.join(missing)} missing. Run: sudo {' '.join(command)}")
    say(f"installing {', '.join(missing)}")
    quiet = {"stdout": subprocess.DEVNULL, "env": {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}}
    subprocess.run(["apt-get", "update"], check=True, **quiet)  # type: ignore[call-overload]
    subprocess.run(command, check=True, **quiet)  # type: ignore[call-overload]


def need_python(tests: bool = False) -> None:
    """The Python environment from the hashed requirements."""
    locked = ROOT / "requirements" / ("dev.txt" if tests else "app.txt")
    marks = [INSTALLED / f".python-{name}" for name in (["dev"] if tests else ["app", "dev"])]
    if PYTHON.exists() and any(_same(mark, [ROOT / "requirements" / f"{mark.name[8:]}.txt"]) for mark in marks):
        return
    say("installing Python packages")
    INSTALLED.mkdir(parents=True, exist_ok=True)
    if not PYTHON.exists():
        subprocess.run([sys.executable, "-m", "venv", str(VENV)], check=True)
    _install(locked)
    _remember(marks[-1] if tests else marks[0], [locked])


def _install(locked: Path) -> None:
    pip = [str(PYTHON), "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--require-hashes"]
    done = subprocess.run([*pip, "-r", str(locked)], stderr=subprocess.PIPE, text=True)
    if done.returncode:
        sys.exit(done.stderr)


def need_mutation() -> None:
    """What measuring the strength of the tests needs, on top of the tests' environment."""
    need_python(tests=True)
    locked = ROOT / "requirements" / "mutation.txt"
    mark = INSTALLED / ".python-mutation"
    if not _same(mark, [locked]):
        _install(locked)
        _remember(mark, [locked])


def need_web() -> None:
    """The npm packages, and the production build."""
    if shutil.which("npm") is None:
        sys.exit("Node.js with npm is missing. Run: sudo apt-get install nodejs npm")
    lock = [WEB / "package-lock.json"]
    if not (WEB / "node_modules").exists() or not _same(INSTALLED / ".npm", lock):
        say("installing npm packages")
        _npm("ci", "--no-audit", "--no-fund")
        _remember(INSTALLED / ".npm", lock)
    sources = [*lock, *_sources()]
    if not (WEB / "dist" / "index.html").exists() or not _same(INSTALLED / ".web", sources):
        say("building the web application")
        _npm("run", "build", "--silent")
        _remember(INSTALLED / ".web", sources)


def _sources() -> list[Path]:
    names = ("index.html", "package.json", "vite.config.ts", "tsconfig.json")
    return [*(WEB / name for name in names), *sorted(p for p in (WEB / "src").rglob("*") if p.is_file())]


def _npm(*arguments: str) -> None:
    done = subprocess.run(["npm", *arguments], cwd=WEB, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    if done.returncode:
        sys.exit(f"npm {' '.join(arguments)} failed:\n{done.stdout}")


def _digest(files: Iterable[Path]) -> str:
    digest = hashlib.sha256()
    for file in files:
        digest.update(str(file.relative_to(ROOT)).encode() + b"\0" + file.read_bytes() + b"\0")
    return digest.hexdigest()


def _same(mark: Path, files: Iterable[Path]) -> bool:
    return mark.exists() and mark.read_text() == _digest(files)


def _remember(mark: Path, files: Iterable[Path]) -> None:
    INSTALLED.mkdir(parents=True, exist_ok=True)
    mark.write_text(_digest(files))
