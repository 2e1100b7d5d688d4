"""The local PostgreSQL cluster: made, started and stopped by us, on a loopback port, as an ordinary user."""

from __future__ import annotations

import contextlib
import glob
import hashlib
import json
import os
import pwd
import secrets
import shutil
import socket
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from tools.paths import VAR

STATE = VAR / "postgres.json"
AS_ROOT = os.geteuid() == 0


def _owner() -> pwd.struct_passwd:
    return pwd.getpwnam("postgres") if AS_ROOT else pwd.getpwuid(os.geteuid())


def _dropped() -> dict[str, Any]:
    """What makes a subprocess run as the postgres user; PostgreSQL refuses root."""
    return {"user": _owner().pw_uid, "group": _owner().pw_gid, "extra_groups": []} if AS_ROOT else {}


def _tool(name: str) -> Path:
    paths = sorted(glob.glob("/usr/lib/postgresql/*/bin/initdb"), key=lambda path: int(path.split("/")[4]))
    return Path(paths[-1]).parent / name


def _run(tool: str, *arguments: str, check: bool = True) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [_tool(tool), *arguments],
        check=check,
        text=True,
        cwd="/",
        env={"LC_ALL": "C.UTF-8", "PATH": "/usr/bin:/bin"},
        stdin=subprocess.DEVNULL,
        stdout=subprocess.DEVNULL if tool == "pg_ctl" else subprocess.PIPE,
        stderr=subprocess.STDOUT,
        **_dropped(),
    )


def data_dir() -> Path:
    """var/postgres, or a folder under /var/lib where the postgres user cannot reach the project."""
    VAR.mkdir(parents=True, exist_ok=True)
    if not AS_ROOT:
        return VAR / "postgres"
    reachable = subprocess.run(["test", "-x", str(VAR)], cwd="/", **_dropped()).returncode == 0
    tag = hashlib.sha256(str(VAR).encode()).hexdigest()[:8]
    return VAR / "postgres" if reachable else Path("/var/lib/postgresql") / f"pravin-{tag}"


def _free_port(preferred: int) -> int:
    for port in (preferred, 0):
        with socket.socket() as listener:
            listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            with contextlib.suppress(OSError):
                listener.bind(("127.0.0.1", port))
                return int(listener.getsockname()[1])
    raise RuntimeError("there is no free port on 127.0.0.1")


def start() -> dict[str, Any]:
    """Make the cluster if there is none, start it if it does not answer; returns port, user and password."""
    data = data_dir()
    if not (data / "PG_VERSION").exists() or not STATE.exists():
        _make(data)
    state: dict[str, Any] = json.loads(STATE.read_text())
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:  # after a kill the old processes may need a moment to go
        if _answers(state, data):
            _keep(state)
            _own_database(state)
            return state
        if _run("pg_ctl", "status", "-D", str(data), check=False).returncode != 0:
            state["port"] = _free_port(state["port"])
            _start_at(state, data)
        else:
            time.sleep(0.3)
    sys.exit(f"PostgreSQL did not start; see {data / 'server.log'}")


def revive() -> bool:
    """Start the cluster again, on its port, if it does not answer; returns whether it answers."""
    data = data_dir()
    state: dict[str, Any] = json.loads(STATE.read_text())
    if _answers(state, data):
        return True
    print("pravin: PostgreSQL does not answer; starting it again", flush=True)
    deadline = time.monotonic() + 30
    while time.monotonic() < deadline:
        if _run("pg_ctl", "status", "-D", str(data), check=False).returncode != 0:
            _start_at(state, data)
        if _answers(state, data):
            return True
        time.sleep(0.5)
    return False


def _start_at(state: dict[str, Any], data: Path) -> None:
    options = (
        f"-p {state['port']} -c listen_addresses=127.0.0.1 -c unix_socket_directories='' "
        "-c max_connections=60 -c default_toast_compression=lz4 "
        # a table that is filled where it is made needs no log beside it: it is on the disk when its transaction ends. Copies of the
        # cluster from its log (replicas, a point in time) are given up for that; `pg_dump` is not.
        "-c wal_level=minimal -c max_wal_senders=0 -c max_wal_size=2GB"
    )
    log = str(data / "server.log")
    _run("pg_ctl", "start", "-w", "-t", "30", "-D", str(data), "-l", log, "-o", options, check=False)


def _make(data: Path) -> None:
    shutil.rmtree(data, ignore_errors=True)  # what is left of a cluster half made
    data.mkdir(mode=0o700, parents=True)
    os.chown(data, _owner().pw_uid, _owner().pw_gid)
    password = secrets.token_urlsafe(24)
    with tempfile.NamedTemporaryFile("w", prefix="pravin-") as file:
        file.write(password)
        file.flush()
        os.chown(file.name, _owner().pw_uid, _owner().pw_gid)
        _run("initdb", "-D", str(data), "-U", "pravin", "-A", "scram-sha-256", f"--pwfile={file.name}",
             "-E", "UTF8", "--locale=C.UTF-8")  # fmt: skip
    _keep({"port": 0, "password": password, "user": "pravin"})


def _keep(state: dict[str, Any]) -> None:
    STATE.touch(mode=0o600)
    STATE.chmod(0o600)
    STATE.write_text(json.dumps(state))


def _psql(state: dict[str, Any], query: str, database: str = "postgres") -> str:
    address = f"host=127.0.0.1 port={state['port']} user={state['user']} dbname={database} connect_timeout=2"
    done = subprocess.run(
        [_tool("psql"), "-XAtqc", query, address],
        text=True,
        capture_output=True,
        env={**os.environ, "PGPASSWORD": state["password"]},
    )
    return done.stdout.strip()


def _answers(state: dict[str, Any], data: Path) -> bool:
    """Whether our own cluster, and not another one on that port, answers a query."""
    return bool(state["port"]) and _psql(state, "show data_directory") == str(data)


def _own_database(state: dict[str, Any]) -> None:
    if not _psql(state, "select 1 from pg_database where datname = 'pravin'"):
        _psql(state, "create database pravin")


def stop() -> None:
    """Stop the cluster if there is one."""
    if STATE.exists() and (data_dir() / "PG_VERSION").exists():
        _run("pg_ctl", "stop", "-w", "-m", "fast", "-D", str(data_dir()), check=False)


def drop() -> None:
    """Stop the cluster and delete all it holds."""
    stop()
    shutil.rmtree(data_dir(), ignore_errors=True)
    STATE.unlink(missing_ok=True)
    (VAR / "reader.json").unlink(missing_ok=True)  # its password went with the cluster
