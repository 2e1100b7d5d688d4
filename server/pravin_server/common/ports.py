"""What a lower layer asks of a higher one, without knowing it: `workspace.wiring` gives the answers at the start."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, ParamSpec, TypeVar

P = ParamSpec("P")
T = TypeVar("T")


class Port(Generic[P, T]):
    """A function that is given from above. Calling it before it is given raises RuntimeError."""

    def __init__(self, asks: str) -> None:
        self._asks = asks
        self._answer: Callable[P, T] | None = None

    def give(self, answer: Callable[P, T]) -> None:
        """Let the port be answered by a function of a higher layer."""
        self._answer = answer

    def __call__(self, *args: P.args, **kwargs: P.kwargs) -> T:
        if self._answer is None:
            raise RuntimeError(f"Nobody answers what is asked here: {self._asks}. It is given in workspace/wiring.py.")
        return self._answer(*args, **kwargs)
