"""The errors of the core. Each says what was found, where, and what to do."""

from __future__ import annotations


class PravinError(Exception):
    """Root of all errors raised by the core.

    `message` is one readable sentence or two; `where` names the place (file, line, column, rule)
    as key and value; `advice` says what can be done.
    """

    def __init__(self, message: str, *, advice: str = "", **where: object) -> None:
        super().__init__(message)
        self.message = message
        self.advice = advice
        self.where = {key: value for key, value in where.items() if value is not None}

    def __str__(self) -> str:
        place = ", ".join(f"{key} {value}" for key, value in self.where.items())
        return " ".join(part for part in (self.message, f"({place})" if place else "", self.advice) if part)


class IntakeError(PravinError):
    """A source file cannot be read as a table at all."""


class SettingsError(PravinError):
    """Import settings contradict themselves or the file."""


class RulebookError(PravinError):
    """A rulebook cannot be understood or does not fit the table."""


class FormulaError(RulebookError):
    """A formula cannot be read or does not fit the columns; it is wrong from character `start` to before `end`."""

    def __init__(self, message: str, *, start: int, end: int, advice: str = "") -> None:
        super().__init__(message, advice=advice, character=start + 1)
        self.start, self.end = start, end


class RunError(PravinError):
    """A run could not be finished."""


class NoMemory(RunError):
    """What is asked for needs more memory than is allowed."""

    def __init__(self) -> None:
        super().__init__(
            "The table needs more memory than is allowed.", advice="Raise the memory limit in the settings."
        )


class FilesGone(PravinError):
    """A file of the cache was deleted while it was used; doing the same again makes it anew."""


class Cancelled(PravinError):
    """The work was cancelled by a person; nothing was changed."""
