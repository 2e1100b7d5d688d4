"""From the text of a formula to its tree, with the place of what cannot be read."""

from __future__ import annotations

import re
from typing import Any

from sqlglot import exp
from sqlglot.dialects.duckdb import DuckDB
from sqlglot.errors import ParseError, SqlglotError
from sqlglot.tokens import TokenType

from pravin_core.errors import FormulaError

LONGEST, MOST_PARTS, DEEPEST = 4000, 1000, 120


class Formulas(DuckDB):  # type: ignore[misc]
    """SQL in which every call is a call by name, so that only our functions can be meant."""

    class Parser(DuckDB.Parser):  # type: ignore[misc]
        FUNCTIONS: dict[str, Any] = {}
        #: Parts with words between their arguments, as the SQL standard writes them.
        FUNCTION_PARSERS: dict[str, Any] = {
            "CAST": lambda self: self._parse_cast(True),
            "TRY_CAST": lambda self: self._parse_cast(False, safe=True),
            "EXTRACT": lambda self: self._in_words("extract", TokenType.FROM, self._parse_extract),
            "POSITION": lambda self: self._in_words("position", TokenType.IN, self._parse_position),
            "SUBSTRING": lambda self: self._parse_substring(),
            "TRIM": lambda self: self._parse_trim(),
            "OVERLAY": lambda self: self._parse_overlay(),
        }
        NO_PAREN_FUNCTIONS: dict[Any, Any] = {}
        TYPE_CONVERTERS: dict[Any, Any] = {}  # varchar(4) keeps its length

        def _in_words(self, name: str, word: Any, parsed: Any) -> Any:
            """The standard's part where its word stands among the arguments; with commas it is a call of ours."""
            depth = 0
            for at, token in enumerate(self._tokens[self._index :]):
                depth += (token.token_type == TokenType.L_PAREN) - (token.token_type == TokenType.R_PAREN)
                if depth < 0 or (depth == 0 and token.token_type == TokenType.COMMA):
                    break
                if depth == 0 and at and token.token_type == word:
                    return parsed()
            return self.expression(exp.Anonymous(this=name, expressions=self._parse_csv(self._parse_lambda)))


def parsed(text: str) -> exp.Expr:
    """The tree of one expression, whatever its parts. Raises SqlglotError."""
    trees = Formulas().parse_into(exp.Expr, text)
    if len(trees) != 1 or trees[0] is None:
        raise SqlglotError("no expression")
    return trees[0]


def readable(text: str) -> str:
    """The formula, if it can be read whatever the columns. Raises ValueError, for models that hold one."""
    try:
        read(text)
    except FormulaError as error:
        raise ValueError(f"{error.message} {error.advice}") from error
    return text


def reads(text: str) -> tuple[str, ...]:
    """The columns a formula names, as far as it can be read; none when it cannot."""
    try:
        tree = read(text)
    except FormulaError:
        return ()
    return tuple(dict.fromkeys(column.name for column in tree.find_all(exp.Column)))


def sees_others(text: str) -> bool:
    """Whether a formula looks at other records, as far as it can be read."""
    try:
        return read(text).find(exp.Window) is not None
    except FormulaError:
        return False


def read(text: str) -> exp.Expr:
    if not text.strip():
        raise FormulaError("The formula is empty.", start=0, end=0, advice="Type an expression such as upper(station).")
    if len(text) > LONGEST:
        raise FormulaError(
            f"The formula is longer than {LONGEST:,} characters.", start=LONGEST, end=len(text), advice="Split it into several rules."
        )  # fmt: skip
    _look_at_marks(text)
    try:
        tree = parsed(text)
    except ParseError as error:
        raise _unreadable(text, error) from error
    except RecursionError as error:
        raise FormulaError(
            "The formula is nested too deeply.", start=0, end=len(text), advice="Split it into several rules."
        ) from error
    except SqlglotError as error:
        raise FormulaError(
            "The formula cannot be read.", start=0, end=len(text), advice="See that every quote and bracket is closed."
        ) from error
    if sum(1 for _ in tree.walk()) > MOST_PARTS or _depth(tree) > DEEPEST:
        raise FormulaError(
            "The formula has too many parts.", start=0, end=len(text), advice="Split it into several rules."
        )
    return tree


def _depth(tree: exp.Expr) -> int:
    level, depth = [tree], 0
    while level:
        level, depth = [part for node in level for part in node.iter_expressions()], depth + 1
    return depth


FILLED = "t"  # stands for each character of a text or quoted name, so that these are something, and nothing that is looked for
_CURLY = "‘’‚“”„"


def _look_at_marks(text: str) -> None:
    """What goes wrong with quotation marks and brackets before anything else."""
    bare = re.sub(r"'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"", lambda match: FILLED * len(match[0]), text)
    for mark, what in (("'", "text"), ('"', "name")):
        if mark in bare:
            at = bare.index(mark)
            raise FormulaError(
                f"The {what} that begins here is not closed.",
                start=at,
                end=len(text),
                advice=f"Put {mark} at its end."
                + (" An apostrophe inside is written twice: 'it''s'." if mark == "'" else ""),
            )
    for at, character in enumerate(bare):
        if character in _CURLY:
            raise FormulaError(
                "This is a curly quotation mark.", start=at, end=at + 1, advice="Texts stand in straight ones: 'text'."
            )
    open_: list[int] = []
    for at, character in enumerate(bare):
        if character == "," and not open_:
            raise _lonely_comma(bare, at)
        if character == "(":
            open_.append(at)
        elif character == ")" and not open_:
            raise FormulaError(
                "This bracket closes none.", start=at, end=at + 1, advice="Remove it, or open one before."
            )
        elif character == ")":
            open_.pop()
    if open_:
        raise FormulaError(
            "This bracket is not closed.", start=open_[-1], end=open_[-1] + 1, advice="Put ) where it ends."
        )
    if (infix := _INFIX.search(text)) and bare[slice(*infix.span(1))] == infix[1]:
        raise FormulaError(
            "This is a function, it stands before what it looks at.", start=infix.start(1), end=infix.end(1),
            advice="As in contains(name, 'x'), starts_with(name, 'x') or matches(name, '^x').",
        )  # fmt: skip
    for pattern, message, advice in _SLIPS:
        if match := re.search(pattern, bare, re.IGNORECASE):
            raise FormulaError(message, start=match.start(), end=match.end(), advice=advice)


def _lonely_comma(bare: str, at: int) -> FormulaError:
    """A comma outside of brackets: mostly one before decimals."""
    if begun := re.search(r"\bbetween\b(?!.*\band\b)", bare[:at], re.IGNORECASE):
        return FormulaError(
            "between needs and.", start=begun.start(), end=at + 1, advice="Write between … and …, without a comma."
        )
    if number := next((match for match in re.finditer(r"\d+,\d+", bare) if match.start() < at < match.end()), None):
        return FormulaError(
            "A number has a decimal point, not a comma.", start=number.start(), end=number.end(),
            advice=f"Write {number[0].replace(',', '.')}.",
        )  # fmt: skip
    if listed := re.search(r"\bin\b\s*[^\s()]+$", bare[:at], re.IGNORECASE):
        return FormulaError(
            "in needs a list in brackets.", start=listed.start(), end=at + 1, advice="As in x in (1, 2, 3)."
        )
    return FormulaError(
        "A formula is one expression.", start=at, end=at + 1, advice="Commas stand between the arguments of a function."
    )


_OPERAND = r"(?!(?:and|or|is|in|not|like|ilike|between|then|else|end|when)\b)[\w.]"
_INFIX = re.compile(
    r"(?<=[\w)\"])\s+(contains|starts?_?\s?with|begins\s+with|ends?_?\s?with|matches)\s*'", re.IGNORECASE
)
_SLIPS = (
    (r"^\s*=", "A formula begins without “=”.", "Remove it."),
    (r"\([^()]*;", "The arguments of a function are divided by commas.", "Write a comma in place of the semicolon."),
    (r";", "A formula is one expression.", "Remove the “;” and what follows."),
    (r"--|/\*", "A formula has no comments.", "Write it into the note of the rule."),
    (r"&&", "“&&” is not known.", "Write and."),
    (r"==", "“==” is not known.", "Equal is a single =."),
    (r"=>|=<", "This comparison is written the other way round.", "Write >= or <=."),
    (r"[<>=!]\s+[<>=]|>>|<<", "Two comparisons stand beside each other.", "Write one of =, <>, <, <=, >, >=."),
    (r"\bis\s+(?:not\s+)?empty\b", "“empty” is not known.", "Write is null, or is not null."),
    (r"(?:[=<>]|<>|!=)\s*null\b", "Nothing is equal to a missing value.", "Write is null, or is not null."),
    (r"\bif\b[^()]*?\bthen\b", "if … then is written in another way.",
     "Write case when … then … else … end, or if(condition, one result, the other)."),
    (r"\b(?:and|or)\s*(?:[<>=]|!=)", "What is compared is missing here.", "Write it again, as in x > 5 or x < 3."),
    (r"^(?:[^()]|\([^()]*\))*?\bin\s+[^\s(:\"]+", "in needs a list in brackets.", "Write in (…), with commas between its values."),
    (r"\bcase\b(?!.*\bwhen\b)", "The case has no when.", "Write case when … then … else … end."),
    (r"(?<=[\w)])\[", "Parts are not taken in square brackets.", "substring(text, 1, 1) is a character, item(list, 1) an item."),
    (r"\[", "Names of columns do not stand in square brackets.", 'Write "in double quotes", or the plain name.'),
    (r"\^|\*\*", "This is no operator here.", "power(a, b) is a to the power of b."),
    (r"\?", "“?” is not known.", "Write case when … then … else … end, or if(condition, one result, the other)."),
    (rf"\bmod\b(?=\s+{_OPERAND})", "This is no operator here.", "Write a % b, or remainder(a, b)."),
    (rf"\bdiv\b(?=\s+{_OPERAND})", "This is no operator here.", "Write quotient(a, b)."),
    (r"\blike\s+[\w%]*%", "A text stands in single quotes.", "As in like 'Weir%'."),
    (r"[A-Za-z_]\w*\.[A-Za-z_]\w*\(", "A function stands before what it works on.", "As in upper(name)."),
    (r"(?<![\w.'/-])\d{1,2}/\d{1,2}/\d{4}\b", "A date stands in quotes.", "Write it as date '2024-03-17'."),
    (r"\bcase\b(?!.*\bend\b)", "The case that begins here has no end.", "Write end after its last result."),
    (r"(?<!&)&(?!&)", "“&” is not known.", "Texts are put together with ||, conditions with and."),
    (r"`", "Names of columns do not stand in backward quotes.", 'Write "in double quotes", or the plain name.'),
    (r"\bdate\s+\d{4}-\d|(?<![\w.'-])\d{4}-\d{1,2}-\d{1,2}\b", "A date stands in quotes.", "Write it as date '2024-03-17'."),
    (r"\bselect\b\s+[\w*\"(]|\bfrom\s+read_|^\s*(?:with|drop|insert|update|delete|attach|copy|pragma|create|set|load|install)\b"
     r"\s+(?!and\b|or\b|is\b|in\b|like\b|ilike\b|between\b|not\b)[\w\"]",
     "A formula works on one record; it cannot ask for tables.", "Use the columns of the record and the listed functions."),
    (r"(?<=[\w\"]\s)over\s*\(", "Before over stands a function that looks at others.", "As in sum(ph) over (partition by station)."),
)  # fmt: skip


def _unreadable(text: str, error: ParseError) -> FormulaError:
    first = error.errors[0] if error.errors else {}
    end = int(first.get("col") or len(text))
    mark = str(first.get("highlight") or "")
    start = max(0, end - len(mark))
    if text[start:end] != mark:
        start = text.find(mark) if mark and mark in text else max(0, end - 1)
        end = start + max(1, len(mark))
    if "Required keyword" in str(first.get("description")):
        return FormulaError(
            f"Something is missing after “{mark}”.", start=start, end=end, advice="Write what it works on."
        )
    return FormulaError(
        f"“{mark}” cannot stand here.", start=start, end=end,
        advice="An operator such as + or and, or a comma, may be missing before it.",
    )  # fmt: skip
