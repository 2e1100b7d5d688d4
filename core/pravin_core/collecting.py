"""How often the language looks for objects that nobody holds any more."""

from __future__ import annotations

import gc

EVERY = 50_000  # objects made and not freed


def collect_seldom() -> None:
    """For the start of a process that compiles rules.

    A rulebook becomes hundreds of thousands of small objects that hold each other. By default all of them are looked through again and
    again while they are made, each time that 700 more are there, which took a third of the time of compiling.
    """
    gc.set_threshold(EVERY, 20, 20)
