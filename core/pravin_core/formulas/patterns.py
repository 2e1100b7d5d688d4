"""What is read in a pattern (RE2 syntax) before the engine sees it."""

from __future__ import annotations

import re

_NO_GROUP = re.compile(
    r"\\.|\[\^?\]?(?:\\.|\[:\^?\w+:\]|[^\]\\])*\]", re.S
)  # what is escaped, and classes of characters


def groups(pattern: str) -> int:
    """How many groups in brackets a pattern has."""
    return len(re.findall(r"\((?!\?[^P])", _NO_GROUP.sub("x", pattern)))
