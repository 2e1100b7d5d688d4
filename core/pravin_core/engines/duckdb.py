"""DuckDB as the engine: bounded, locked to the files it is given, cancellable, with progress."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, ThreadPoolExecutor, wait
from contextlib import closing, contextmanager
from pathlib import Path
from threading import Timer

import duckdb
from sqlglot import exp

from pravin_core.engines import functions
from pravin_core.engines.base import Connection, Limits, in_turn
from pravin_core.engines.operations import OPERATIONS
from pravin_core.errors import Cancelled, FilesGone, NoMemory, RunError
from pravin_core.sql.statements import setting
from pravin_core.sql.trees import sql
from pravin_core.stopping import current, go_on

# what the engine says, for those who can do something about it; everybody else lets it pass
NO_MEMORY = duckdb.OutOfMemoryException
INTERRUPTED = duckdb.InterruptException
NOT_CONVERTED = (duckdb.InvalidInputException, duckdb.ConversionException)
NOT_ANSWERED = (*NOT_CONVERTED, duckdb.BinderException, duckdb.OutOfRangeException)


@contextmanager
def connect(
    folders: Sequence[Path], scratch: Path, limits: Limits = Limits(), in_order: bool = False, is_wide: bool = False
) -> Iterator[Connection]:
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
) -> Iterator[Connection]:
    con = opened(folders, scratch, limits, ["build_side_probe_side"] * in_order + ["common_subexpressions"] * is_wide)
    try:
        with bounded(con, limits):
            yield con
    finally:
        con.close()


def opened(
    folders: Sequence[Path], scratch: Path, limits: Limits, without: Sequence[str] = (), caches_files: bool = True
) -> Connection:
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
        con.execute(sql(setting("disabled_optimizers", exp.Literal.string(",".join(without)))))
        con.execute(sql(setting("allowed_directories", allowed)))
        con.execute("SET enable_external_access = false")
        con.execute("SET lock_configuration = true")
    except BaseException:
        con.close()
        raise
    return con


@contextmanager
def bounded(con: Connection, limits: Limits) -> Iterator[None]:
    """What is computed inside ends with the work at hand, and after the seconds of its limits.

    Raises FilesGone when a file is gone, RunError when it took too long, NoMemory when it needs more than is allowed.
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
    except duckdb.OutOfMemoryException as error:
        raise NoMemory from error
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


@contextmanager
def beside(con: Connection) -> Iterator[Connection]:
    """A connection to the same engine for another thread, stopped with the work at hand."""
    go_on()
    with closing(con.cursor()) as own:
        if stop := current():
            stop.watch(own)
        yield own


def know_operations(con: Connection) -> None:
    """Make our own operations known to a connection that computes with rules (30 ms)."""
    con.execute(";".join(operation.quick_statement for operation in OPERATIONS))


class Watch:
    """Runs one statement while looking every `interval` seconds whether to go on.

    `beat(share)` receives the engine's progress (0 to 1) and returns False to cancel.
    """

    def __init__(self, beat: Callable[[float], bool] | None = None, interval: float = 0.5) -> None:
        self._beat, self._interval = beat, interval

    def execute(self, con: Connection, statement: exp.Expr) -> None:
        """Execute a statement; raises Cancelled when the beat says so, RunError when the engine fails."""
        self.execute_all([(con, statement)])

    def execute_all(self, work: Sequence[tuple[Connection, exp.Expr]]) -> None:
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
                failed += [error for error in (future.exception() for future in done) if error is not None]
                for future in done:
                    del running[future]
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
                raise NoMemory from error
            raise error
