"""start, test and check."""

from __future__ import annotations

import argparse
import base64
import fcntl
import os
import secrets
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from typing import IO

from tools import figures, postgres, setup
from tools.paths import PYTHON, ROOT, VAR, VENV, WEB, environment
from tools.supervisor import Supervisor

PEOPLE = (("marlo", "analyst"), ("tessen", "approver"), ("viewer", "viewer"), ("admin", "administrator"))
PARTS = ("core", "client", "server", "web", "browser")
PATIENCE = 180  # seconds for the web server to answer, on a machine that has other things to do


def start(arguments: list[str]) -> int:
    """Install, build, start everything, and stay until Ctrl-C."""
    parser = argparse.ArgumentParser(prog="pravin start")
    parser.add_argument("--port", type=int, default=8700)
    parser.add_argument("--fresh", action="store_true", help="delete all data first")
    parser.add_argument("--no-demo", action="store_true", help="do not load the demo data")
    options = parser.parse_args(arguments)
    setup.need_packages()
    setup.need_python()
    setup.need_web()
    running = _only_one()
    if options.fresh:
        postgres.drop()
        shutil.rmtree(VAR / "cache", ignore_errors=True)
    postgres.start()
    _secret()
    port = _port(options.port)
    _manage("prepare")
    if not options.no_demo:
        _manage("people", "demo")
    running.write(f"http://127.0.0.1:{port}/")
    running.flush()
    outside = _port(options.port + 1)
    if not options.no_demo:
        os.environ["PRAVIN_OUTSIDE"] = f"http://127.0.0.1:{outside}"
    supervisor = Supervisor(revive=postgres.revive)
    supervisor.add("web", _gunicorn(port), environment())
    supervisor.add("worker", worker_command("work"), environment())
    supervisor.add("watcher", worker_command("watch"), environment())
    if not options.no_demo:
        supervisor.add("outside", [str(PYTHON), "-m", "demo.outside", str(outside), str(VAR / "drop")], environment())
    supervisor.start()
    try:
        if not _wait_for(f"http://127.0.0.1:{port}/"):
            setup.say(
                f"the web server does not answer after {PATIENCE} seconds, so no demo data was loaded; start again"
            )
        elif not options.no_demo:
            _manage("demo")
        _greet(port, demo=not options.no_demo)
        supervisor.watch()
    finally:
        supervisor.end()
        postgres.stop()
    return 0


def _only_one() -> IO[str]:
    """A lock on our data, freed by the kernel when this process ends however it ends; it holds the address."""
    VAR.mkdir(parents=True, exist_ok=True)
    file = (VAR / "running").open("a+")
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        file.seek(0)
        sys.exit(f"Pravin runs already: {file.read() or 'it is just starting'}. Stop it there with Ctrl-C first.")
    file.truncate(0)
    return file


def _greet(port: int, demo: bool) -> None:
    address = f"http://127.0.0.1:{port}"
    print(f"\nPravin is ready: {address}/\n", flush=True)
    if demo:
        print("  sign in as   role           password", flush=True)
        for name, role in PEOPLE:
            print(f"  {name:<12} {role:<14} merrow-{name}", flush=True)
    elif first := _asked("people", "first", "--address", address):
        print(f"  make the first administrator here, once, within a day:\n  {first}", flush=True)
    if outside := os.environ.get("PRAVIN_OUTSIDE"):
        print(f"\n  the simulated outside world (bulletin site, suppliers): {outside}/", flush=True)
    print(f"\n  released tables: see {VAR / 'reader.json'} for the read-only role\n  Ctrl-C stops it.", flush=True)


def _gunicorn(port: int) -> list[str]:
    return [
        str(VENV / "bin" / "gunicorn"), "pravin_server.config.wsgi:application", "--bind", f"127.0.0.1:{port}",
        "--worker-class", "gthread", "--workers", "2", "--threads", "4", "--timeout", "300",
        "--graceful-timeout", "5", "--log-level", "warning",
    ]  # fmt: skip


def worker_command(queue: str) -> list[str]:
    """A worker: for `work` (jobs, one at a time) or for `watch` (drop folders, schedules, jobs that stalled)."""
    manage = str(ROOT / "server" / "manage.py")
    return [str(PYTHON), manage, "procrastinate", "--verbosity", "0", "worker", "--queues", queue]


def _secret() -> None:
    """The secrets of the installation, made once: for sessions, and for passwords that are kept sealed."""
    results = {
        "secret": secrets.token_urlsafe(60),
        "secrets.key": base64.urlsafe_b64encode(secrets.token_bytes(32)).decode(),
    }
    for name, text in results.items():
        file = VAR / name
        if not file.exists():
            file.touch(mode=0o600)
            file.write_text(text)


def _port(wanted: int) -> int:
    for port in (wanted, 0):
        with socket.socket() as listener:
            listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                listener.bind(("127.0.0.1", port))
            except OSError:
                setup.say(f"port {wanted} is taken; using another")
                continue
            return int(listener.getsockname()[1])
    raise RuntimeError("there is no free port on 127.0.0.1")


def _manage(*arguments: str) -> None:
    done = subprocess.run([str(PYTHON), str(ROOT / "server" / "manage.py"), *arguments], env=environment())
    if done.returncode:
        sys.exit(done.returncode)


def _asked(*arguments: str) -> str:
    """What a command of the server prints."""
    done = subprocess.run(
        [str(PYTHON), str(ROOT / "server" / "manage.py"), *arguments],
        env=environment(),
        text=True,
        stdout=subprocess.PIPE,
    )
    if done.returncode:
        sys.exit(done.returncode)
    return done.stdout.strip()


def people(arguments: list[str]) -> int:
    """Look after people: list, add, roles, disable, enable, reset, first."""
    postgres.start()
    _manage("people", *arguments)
    return 0


def verify(arguments: list[str]) -> int:
    """Look at the whole record of activity."""
    postgres.start()
    _manage("verify", *arguments)
    return 0


def _wait_for(address: str) -> bool:
    deadline = time.monotonic() + PATIENCE
    while time.monotonic() < deadline:
        try:
            urllib.request.urlopen(address, timeout=2)
        except urllib.error.HTTPError:
            return True
        except OSError:
            time.sleep(0.1)
        else:
            return True
    return False


def test(arguments: list[str]) -> int:
    """Run all tests, or one part."""
    parser = argparse.ArgumentParser(prog="pravin test")
    parser.add_argument("part", nargs="?", choices=PARTS)
    options, rest = parser.parse_known_args(arguments)
    parts = [options.part] if options.part else list(PARTS)
    setup.need_packages(browser="browser" in parts)
    setup.need_python(tests=True)
    setup.need_web()
    running = _only_one()
    running.write("tests")
    running.flush()
    try:
        failed = [part for part in parts if _test(part, rest)]
    finally:
        postgres.stop()
    if failed:
        print(f"pravin: failed: {', '.join(failed)}", file=sys.stderr)
    return 1 if failed else 0


def _test(part: str, rest: list[str]) -> int:
    print(f"\n== {part} tests", flush=True)
    if part == "web":
        return subprocess.run(["npm", "run", "--silent", "test"], cwd=WEB).returncode
    own = {"PRAVIN_TESTING": "1"}
    if part not in ("core", "client"):
        postgres.start()
        _secret()
    folder = {"core": "core/tests", "client": "client/tests", "server": "server", "browser": "browser_tests"}[part]
    # the core's tests share nothing but the processors; the server's have a database for each process; the browser's share one
    workers = ["-n", str(os.cpu_count() or 1), "--dist", {"core": "load", "server": "loadfile"}.get(part, "no")]
    at_once = workers if part != "browser" and "-n" not in rest else []
    command = [str(PYTHON), "-m", "pytest", "-q", folder, "--durations=12", *at_once, *rest]
    return subprocess.run(command, cwd=ROOT, env=environment(**own)).returncode


def check(arguments: list[str]) -> int:
    """Every static check; prints those that fail. No database is needed. With --figures: how much of the code tests it."""
    if "--figures" in arguments:
        return figures.main()
    setup.need_python(tests=True)
    setup.need_web()
    bin_ = VENV / "bin"
    checks: list[tuple[str, list[str], bool]] = [
        ("ruff", [str(bin_ / "ruff"), "check", "."], False),
        ("ruff format", [str(bin_ / "ruff"), "format", "--check", "."], False),
        ("mypy", [str(bin_ / "mypy")], False),
        ("import contracts", [str(bin_ / "lint-imports"), "--no-cache"], False),
        ("migrations", [str(PYTHON), "server/manage.py", "makemigrations", "--check", "--dry-run"], False),
        ("OpenAPI file", [str(PYTHON), "server/manage.py", "openapi", "--check"], False),
        ("rules page", [str(PYTHON), "server/manage.py", "rules_page", "--check"], False),
        ("generated types", ["npm", "run", "--silent", "check:api"], True),
        ("vue-tsc", ["npm", "run", "--silent", "check:types"], True),
        ("eslint", ["npm", "run", "--silent", "check:lint"], True),
        ("prettier", ["npm", "run", "--silent", "check:format"], True),
    ]
    failed = []
    for name, command, web in checks:
        done = subprocess.run(
            command, cwd=WEB if web else ROOT, env=environment(), text=True, stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
        )  # fmt: skip
        print(f"{'ok    ' if done.returncode == 0 else 'FAILED'} {name}", flush=True)
        if done.returncode:
            print(done.stdout)
            failed.append(name)
    return 1 if failed else 0


def core(arguments: list[str]) -> int:
    """inspect, profile, run: the core's own command line."""
    setup.need_python()
    done = subprocess.run([str(PYTHON), "-m", "pravin_core.cli", *arguments], env=environment())
    return done.returncode


def api(arguments: list[str]) -> int:
    """Work with a server that runs, here or elsewhere."""
    setup.need_python()
    return subprocess.run([str(PYTHON), "-m", "pravin_client.cli", *arguments], env=environment()).returncode


def bench(arguments: list[str]) -> int:
    """Measure against plain scripts doing comparable work."""
    setup.need_python(tests=True)
    return subprocess.run([str(PYTHON), "-m", "bench", *arguments], cwd=ROOT, env=environment()).returncode


def mutate(arguments: list[str]) -> int:
    """Put small faults into a copy of the core and count those that the tests notice."""
    setup.need_mutation()
    return subprocess.run([str(PYTHON), "-m", "tools.mutation", *arguments], cwd=ROOT, env=environment()).returncode


COMMANDS = {
    "start": start,
    "test": test,
    "check": check,
    "api": api,
    "bench": bench,
    "mutate": mutate,
    "people": people,
    "verify": verify,
}


def main(arguments: list[str]) -> int:
    """Run one command of `./pravin`."""
    signal.signal(signal.SIGPIPE, signal.SIG_DFL)
    os.umask(0o022)
    if not arguments or arguments[0] in ("-h", "--help"):
        print(
            "usage: ./pravin start|test|check|api|inspect|profile|run|bench|mutate|people|verify ...   (each has --help)"
        )
        return 0 if arguments else 2
    if arguments[0] in COMMANDS:
        return COMMANDS[arguments[0]](arguments[1:])
    return core(arguments)
