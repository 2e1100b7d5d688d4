"""Which records fit a filter, in order, kept in the cache: scrolling on asks the engine for the cells of a page only."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from pravin_core.records.filters import Filter
from pravin_core.records.pages import Numbers, Stage, find_records
from pravin_server.common import cache

KEPT = 40  # so many orders; the one not looked at for longest gives way


def numbers_of(stage: Stage, filters: Sequence[Filter], sort: str | None, descending: bool) -> Numbers:
    """The numbers of the records that fit, in order; found if the cache does not hold them."""
    asked = [str(path) for path in stage.files], [filter_.model_dump() for filter_ in filters], sort, descending
    place = cache.folder("orders", hashlib.sha256(json.dumps(asked).encode()).hexdigest() + ".npy")
    try:
        numbers: Numbers = np.load(place, mmap_mode="r")
        os.utime(place)
    except FileNotFoundError:
        numbers = find_records(stage, filters, sort, descending, cache.spills(), cache.limits())
        with cache.scratch() as scratch:  # whole files only: it is moved to its place when it is written
            np.save(scratch / "order.npy", numbers)
            os.rename(scratch / "order.npy", place)
        _give_way(place.parent)
    return numbers


def _give_way(folder: Path) -> None:
    kept = sorted(folder.glob("*.npy"), key=cache.last_used, reverse=True)
    for old in kept[KEPT:]:
        old.unlink(missing_ok=True)
