"""Tables of text that looks dangerous: marks that formats, spreadsheets, databases and programs give a meaning to."""

from __future__ import annotations

from hypothesis import strategies as st

PIECES = (
    '"', "'", "\\", "\\n", "\\N", ",", ";", "\t", "|", "=", "+", "-", "@", "=1+1", "+49 30 123", "-5.5", "'=1", "--", "/*", "*/", "$$", ":a", "${x}",
    "%s", "{0}", "{", "}", "[", "]", "#", "\u202e", "\u200f", "\u2028", "\ufeff", "é", "日本", "𝛼", " ", "  ", "x", "0", "01", "1e5", "NULL", "null", "NaN",
    "true", "n/a", "__place", "_x000D_", "<b>", "&amp;", "'); DROP TABLE delivered; --",
)  # fmt: skip
LINE_ENDS = ("\n", "\r\n", "\r")


def texts(ends: tuple[str, ...] = LINE_ENDS) -> st.SearchStrategy[str]:
    """A cell of up to five such pieces."""
    return st.lists(st.sampled_from(PIECES + ends), max_size=5).map("".join)


def tables(ends: tuple[str, ...] = LINE_ENDS, most: int = 25) -> st.SearchStrategy[list[tuple[str, str, str]]]:
    """Rows of three cells; the first is never empty, so that no row is."""
    row = st.tuples(texts(ends).map(lambda text: f"k{text}"), texts(ends), texts(ends))
    return st.lists(row, min_size=1, max_size=most)
