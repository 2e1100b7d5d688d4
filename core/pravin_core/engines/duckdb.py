"""DuckDB as the engine: bounded, locked to the files it is given, cancellable, with progress."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, ThreadPoolExecutor, wait
from contextlib import AbstractContextManager, contextmanager, nullcontext
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from threading import Timer
from typing import Any

import duckdb
from sqlglot import exp, parse_one

from pravin_core.engines import functions
from pravin_core.engines.operations import OPERATIONS
from pravin_core.errors import Cancelled, FilesGone, RunError
from pravin_core.stopping import current, go_on


@dataclass(frozen=True)
class Limits:
    """What a connection may use. `memory` as DuckDB writes it (e.g. "1GB"), `threads` of the machine, and for how many
    seconds it may compute (0: as long as it takes).
    """

    memory: str = "1GB"
    threads: int = 2
    seconds: float = 0


Gate = Callable[[], AbstractContextManager[None]]
_gate: Gate = nullcontext


def in_turn() -> AbstractContextManager[None]:
    """What every engine waits for before it computes."""
    return _gate()


def set_gate(gate: Gate) -> None:
    """Let every connection of this process wait for its turn: `gate` is entered before, and left after it."""
    global _gate
    _gate = gate


@contextmanager
def connect(
    folders: Sequence[Path], scratch: Path, limits: Limits = Limits(), in_order: bool = False, is_wide: bool = False
) -> Iterator[duckdb.DuckDBPyConnection]:
    """A connection that reads and writes only inside `folders` and spills into `scratch`.

    With `in_order` joins keep the order of the records on their left. With `is_wide` no expression is looked for that is
    computed twice: that search grows with the square of the columns.
    """
    go_on()
    scratch.mkdir(parents=True, exist_ok=True)
    with in_turn():
        yield from _connected(folders, scratch, limits, in_order, is_wide)


def _connected(
    folders: Sequence[Path], scratch: Path, limits: Limits, in_order: bool, is_wide: bool
) -> Iterator[duckdb.DuckDBPyConnection]:
    con = opened(folders, scratch, limits, ["build_side_probe_side"] * in_order + ["common_subexpressions"] * is_wide)
    try:
        with bounded(con, limits):
            yield con
    finally:
        con.close()


def opened(
    folders: Sequence[Path], scratch: Path, limits: Limits, without: Sequence[str] = (), caches_files: bool = True
) -> duckdb.DuckDBPyConnection:
    """A new engine, locked to its folders, that does without some optimizers; whoever opens it closes it."""
    con = duckdb.connect(
        config={
            "memory_limit": limits.memory,
            "threads": str(limits.threads),
            "temp_directory": str(scratch),
            "autoinstall_known_extensions": "false",
            "autoload_known_extensions": "false",
            "preserve_insertion_order": "true",
            "enable_external_file_cache": str(caches_files).lower(),
        }
    )
    allowed = exp.Array(expressions=[exp.Literal.string(str(folder)) for folder in (*folders, scratch)])
    try:
        functions.register(con)
        con.execute("SET enable_progress_bar = true")
        con.execute("SET enable_progress_bar_print = false")
        con.execute("SET parquet_metadata_cache = true")
        con.execute("SET TimeZone = 'UTC'")
        con.execute(sql(_setting("disabled_optimizers", exp.Literal.string(",".join(without)))))
        con.execute(sql(_setting("allowed_directories", allowed)))
        con.execute("SET enable_external_access = false")
        con.execute("SET lock_configuration = true")
    except BaseException:
        con.close()
        raise
    return con


@contextmanager
def bounded(con: duckdb.DuckDBPyConnection, limits: Limits) -> Iterator[None]:
    """What is computed inside ends with the work at hand, and after the seconds of its limits.

    Raises FilesGone when a file is gone, RunError when it took too long.
    """
    alarm = Timer(limits.seconds, con.interrupt) if limits.seconds else None
    stop = current()
    try:
        if alarm:
            alarm.daemon = True
            alarm.start()
        if stop:
            stop.watch(con)
        yield
    except duckdb.IOException as error:
        raise FilesGone("A file that was being read is gone.", advice="Try again.", engine=str(error)) from error
    except duckdb.InterruptException as error:
        if alarm and alarm.finished.is_set():
            raise RunError(
                f"It took longer than {limits.seconds:,.0f} seconds, and was stopped.",
                advice="Ask for less: fewer columns, a narrower filter, or a run in the background.",
            ) from error
        raise
    finally:
        if alarm:
            alarm.cancel()
        if stop:
            stop.leave(con)


def _setting(name: str, value: exp.Expr) -> exp.Expr:
    return exp.Set(expressions=[exp.SetItem(this=exp.EQ(this=exp.var(name), expression=value))])


@contextmanager
def beside(con: duckdb.DuckDBPyConnection) -> Iterator[duckdb.DuckDBPyConnection]:
    """A connection to the same engine for another thread, stopped with the work at hand."""
    go_on()
    with con.cursor() as own:
        if stop := current():
            stop.watch(own)
        yield own


def know_operations(con: duckdb.DuckDBPyConnection) -> None:
    """Make our own operations known to a connection that computes with rules (30 ms)."""
    con.execute(";".join(operation.quick_statement for operation in OPERATIONS))


class Watch:
    """Runs one statement while looking every `interval` seconds whether to go on.

    `beat(share)` receives the engine's progress (0 to 1) and returns False to cancel.
    """

    def __init__(self, beat: Callable[[float], bool] | None = None, interval: float = 0.5) -> None:
        self._beat, self._interval = beat, interval

    def execute(self, con: duckdb.DuckDBPyConnection, statement: exp.Expr) -> None:
        """Execute a statement; raises Cancelled when the beat says so, RunError when the engine fails."""
        self.execute_all([(con, statement)])

    def execute_all(self, work: Sequence[tuple[duckdb.DuckDBPyConnection, exp.Expr]]) -> None:
        """Execute statements at the same time, each on a connection of its own; when one fails, all are stopped.

        Raises like `execute`.
        """
        if self._beat is not None and not self._beat(0.0):
            raise Cancelled("The work was cancelled. Nothing was changed.")
        cancelled = False
        failed: list[BaseException] = []
        with ThreadPoolExecutor(len(work)) as threads:
            running = {threads.submit(con.execute, sql(statement)): con for con, statement in work}
            while running:
                done, _ = wait(running, self._interval, FIRST_COMPLETED)
                failed += [error for error in (one.exception() for one in done) if error is not None]
                for one in done:
                    del running[one]
                if not failed and not cancelled and running and self._beat is not None:
                    shares = [max(0.0, con.query_progress() / 100) for con in running.values()]
                    cancelled = not self._beat((len(work) - len(running) + sum(shares)) / len(work))
                if failed or cancelled:
                    for con in running.values():
                        con.interrupt()
        if cancelled:
            raise Cancelled("The work was cancelled. Nothing was changed.")
        for error in failed[:1]:
            if isinstance(error, duckdb.OutOfMemoryException):
                raise RunError(
                    "The table needs more memory than is allowed.", advice="Raise the memory limit in the settings."
                ) from error
            raise error


def sql(tree: exp.Expr) -> str:
    """The text of a tree in DuckDB's dialect."""
    return tree.sql(dialect="duckdb")


def written_out(tree: exp.Expr) -> exp.Expr:
    """A tree as its text, for statements that are made with it more than once."""
    return exp.Var(this=sql(tree))


def template(text: str, **parts: Any) -> exp.Expr:
    """A constant query text whose `:name` placeholders are replaced by trees or values.

    Every place gets a copy of its own: trees that share parts would change in two places at once, or in one of two.
    """

    def put(node: exp.Expr) -> exp.Expr:
        if not isinstance(node, exp.Placeholder) or node.name not in parts:
            return node
        part = parts[node.name]
        return part.copy() if isinstance(part, exp.Expr) else exp.convert(part)

    made: exp.Expr = _parsed(text).transform(put)
    return made


@lru_cache(maxsize=512)
def _parsed(text: str) -> exp.Expr:
    return parse_one(text, dialect="duckdb")


def column(name: str, table: str | None = None) -> exp.Column:
    """A column reference, always quoted."""
    return exp.column(exp.to_identifier(name, quoted=True), table=table, copy=False)


def read_parquet(files: Sequence[Path]) -> exp.Expr:
    """A table of Parquet files, matched by column name, in order."""
    paths = exp.Array(expressions=[exp.Literal.string(str(path)) for path in files])
    union = exp.PropertyEQ(this=exp.to_identifier("union_by_name"), expression=exp.true())
    return exp.Anonymous(this="read_parquet", expressions=[paths, union])


def copy_to(query: exp.Expr, target: Path, **options: str | bool | int) -> exp.Expr:
    """A COPY of a query into a file; options as DuckDB names them."""
    params = [
        exp.CopyParameter(this=exp.var(name.upper()), expression=exp.convert(value)) for name, value in options.items()
    ]
    return exp.Copy(this=exp.Subquery(this=query), kind=False, files=[exp.Literal.string(str(target))], params=params)


def temporary_table(name: str, query: exp.Expr) -> exp.Create:
    """A statement that keeps a query's rows in a table of the connection, in place of an earlier one."""
    made = exp.Create(this=exp.to_table(name), kind="TABLE", replace=True, expression=query)
    made.set("properties", exp.Properties(expressions=[exp.TemporaryProperty()]))
    return made


def temporary_view(name: str, query: exp.Expr) -> exp.Create:
    """A statement that gives a query a name on the connection, in place of an earlier one."""
    made = exp.Create(this=exp.to_table(name), kind="VIEW", replace=True, expression=query)
    made.set("properties", exp.Properties(expressions=[exp.TemporaryProperty()]))
    return made


def kept_table(name: str, query: exp.Expr) -> exp.Create:
    """A statement that keeps a query's rows in a table for all connections of the engine."""
    return exp.Create(this=exp.to_table(name, quoted=True), kind="TABLE", replace=True, expression=query)


def variable(name: str, query: exp.Expr) -> exp.Expr:
    """A statement that keeps a query's single value in a variable of the connection, for `getvariable`."""
    value = exp.EQ(this=exp.to_identifier(name, quoted=True), expression=exp.Subquery(this=query))
    return exp.Set(expressions=[exp.SetItem(this=value, kind="VARIABLE")])


def joined(kind: type[exp.Connector] | type[exp.Add], parts: Sequence[exp.Expr]) -> exp.Expr:
    """Expressions joined by And, Or or Add as a balanced tree: thousands of them must not nest deeply."""
    while len(parts) > 1:
        pairs = [parts[at : at + 2] for at in range(0, len(parts), 2)]
        parts = [kind(this=exp.paren(p[0]), expression=exp.paren(p[1])) if len(p) == 2 else p[0] for p in pairs]
    return parts[0]
