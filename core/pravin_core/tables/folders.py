"""Folders that are made whole or not at all."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def made_whole(folder: Path, is_whole: Callable[[Path], bool]) -> Iterator[Path]:
    """A folder to work in that takes the place of `folder` when the block ends without an error.

    When another process was first, its folder stays; what is left of a broken one is replaced.
    """
    folder.parent.mkdir(parents=True, exist_ok=True)
    work = Path(tempfile.mkdtemp(prefix=".making-", dir=folder.parent))
    try:
        yield work
        try:
            os.rename(work, folder)
        except OSError:
            if not is_whole(folder):
                shutil.rmtree(folder, ignore_errors=True)
                os.rename(work, folder)
    finally:
        shutil.rmtree(work, ignore_errors=True)
