"""Operations of our own on values, one catalogue for every engine: rules name them, engines make them known.

In DuckDB each is a macro, which the engine puts in place before it computes: a name costs nothing. The bodies use
only the engine's own functions, so that exported SQL needs this text and nothing else. `exports/postgres.sql` holds the
same operations for PostgreSQL; a test compares both on a table of nasty values.
"""

from __future__ import annotations

from dataclasses import dataclass

# Unicode's spaces, and the marks that cannot be seen (categories Cc and Cf)
SPACES = r"[\s\p{Z}]"
UNSEEN = r"[\p{Cc}\p{Cf}]"
_UNUSUAL = "t GLOB '*[!!-~]*'"  # anything but visible ASCII: most cells have nothing to trim, and patterns are dear


@dataclass(frozen=True)
class Operation:
    """A named operation: its parameters with what they must be, its body, and what it does."""

    name: str
    parameters: tuple[str, ...]
    body: str
    about: str
    quick: str = ""  # the same for the engine itself, with functions of ours (`functions.py`)

    @property
    def statement(self) -> str:
        """The statement that makes it known to DuckDB."""
        return self._made(self.body)

    @property
    def quick_statement(self) -> str:
        """The statement that makes it known to our own engine."""
        return self._made(self.quick or self.body)

    def _made(self, body: str) -> str:
        return f"CREATE OR REPLACE MACRO {self.name}({', '.join(self.parameters)}) AS {body}"


def _made(name: str, parameters: str, body: str, about: str, quick: str = "") -> Operation:
    body = " ".join(body.split())
    return Operation(name, tuple(parameters.split()), body, about, quick.replace(":body", body))


TYPOGRAPHIC = "‘’‚‛“”„‟‹›«»–—−‐‑′″"
PLAIN = "''''\"\"\"\"''\"\"-----'\"".replace("'", "''")
_NUMBER = r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d{1,3})?"

OPERATIONS: tuple[Operation, ...] = (
    _made("trim_spaces", "t", rf"""CASE WHEN {_UNUSUAL} AND regexp_matches(t, '^{SPACES}|{SPACES}$')
          THEN regexp_replace(t, '^{SPACES}+|{SPACES}+$', '', 'g') ELSE t END""", "Without spaces of any kind at the ends."),
    _made("single_spaces", "t", rf"""CASE WHEN NOT {_UNUSUAL} THEN t WHEN regexp_matches(t, '{SPACES}{SPACES}|[\t\n\f\r]|[^ \P{{Z}}]')
          THEN trim(regexp_replace(t, '{SPACES}+', ' ', 'g')) ELSE trim(t) END""", "One space in place of several, none at the ends."),
    _made("trimmed_text", "t", f"CASE WHEN t <> '' AND NOT {_UNUSUAL} THEN t ELSE nullif(trim_spaces(t), '') END",
          "Without spaces at the ends; missing where nothing is left."),
    _made("single_spaced_text", "t", f"CASE WHEN t <> '' AND NOT {_UNUSUAL} THEN t ELSE nullif(single_spaces(t), '') END",
          "One space in place of several; missing where nothing is left."),
    _made("first_capital", "t", "upper(left(t, 1)) || lower(substring(t, 2))", "The first letter as a capital, the others small."),
    _made("words_capital", "t", r"""array_to_string(list_transform(regexp_extract_all(lower(t), '[\p{L}\p{M}\p{Nd}'']+|[^\p{L}\p{M}\p{Nd}'']+'),
          lambda w: upper(left(w, 1)) || substring(w, 2)), '')""", "Each word with a capital.",
          "CASE WHEN strlen(t) = length(t) THEN words_capital_in_ascii(t) ELSE :body END"),
    _made("wide_to_plain", "t", rf"""regexp_replace(replace(replace(replace(replace(translate(t, '{TYPOGRAPHIC}', '{PLAIN}'),
          '…', '...'), 'ﬁ', 'fi'), 'ﬂ', 'fl'), chr(8203), ''), '\p{{Zs}}', ' ', 'g')""", "Typographic marks and wide spaces as plain ones."),
    _made("decode_escapes", "t", r"""replace(replace(replace(replace(replace(t, '\\', chr(1)), '\t', chr(9)), '\n', chr(10)),
          '\r', chr(13)), chr(1), '\')""", "Tabs, line ends and backslashes written out as two characters."),
    _made("decode_entities", "t", r"""replace(replace(replace(replace(replace(replace(replace(replace(replace(replace(t, '&nbsp;', chr(160)), '&lt;', '<'), '&gt;', '>'),
          '&quot;', '"'), '&#39;', ''''), '&apos;', ''''), '&deg;', '°'), '&micro;', 'µ'), '&plusmn;', '±'), '&amp;', '&')""",
          "The usual names of characters in web pages."),
    _made("is_number", "t", f"regexp_full_match(trim(t), '{_NUMBER}')", "Whether a text is a number with a decimal point."),
    _made("read_number", "t", f"CASE WHEN regexp_full_match(trim(t), '{_NUMBER}') AND isfinite(TRY_CAST(trim(t) AS DOUBLE)) THEN TRY_CAST(trim(t) AS DOUBLE) END",
          "A text as a number; missing where it is none."),
    _made("write_number", "x", r"regexp_replace(CAST(x AS VARCHAR), '\.0$', '')", "A number as text, without an empty fraction."),
    _made("neat_number", "x", "CAST(printf('%.15g', x + 0.0) AS DOUBLE)", "A number as it reads with 15 digits, so that 74 x 0.1 is 7.4; zero has no sign."),
    _made("neat_sum", "x largest", """round(x, CAST(14 - floor(log10(least(greatest(largest, 1e-300), 1e300))) AS INTEGER))""",
          "A sum or difference with the digits of what was added, of which `largest` is the largest by size: 12345.822 - 12345 is 0.822."),
    _made("exact_sum", "x", """CASE WHEN coalesce(bool_and(abs(x) < 1e15 AND (abs(x) >= 1 OR round(x, 15) = x)), true)
          THEN CAST(CAST(sum(CASE WHEN abs(x) < 1e15 THEN TRY_CAST(CAST(x AS VARCHAR) AS DECIMAL(38, 15)) END) AS VARCHAR) AS DOUBLE)
          ELSE neat_number(fsum(x)) END""", "The sum of a column as its decimal digits read, in any order."),
    _made("round_number", "x places", """CASE WHEN abs(x) < 1e15 AND places BETWEEN -15 AND 15
          THEN neat_number(round(neat_number(x * power(10.0, places))) / power(10.0, places)) ELSE round(x, places) END""",
          "A number to so many places, halves away from zero, as its decimal digits read: 1170.495 is 1170.5 to two."),
    _made("read_exact", "t", r"""CASE WHEN regexp_full_match(trim(t), '[+-]?0*(\d{1,28}(\.\d{0,10}0*)?|\.\d{1,10}0*)') THEN TRY_CAST(trim(t) AS DECIMAL(38, 10)) END""",
          "A text as an exact decimal; missing where it is none, or has more digits than are kept."),
    _made("exact_plus", "x y", "TRY(CAST(x + y AS DECIMAL(38, 10)))", "The sum of two exact decimals; missing beyond 28 digits before the point."),
    _made("exact_minus", "x y", "TRY(CAST(x - y AS DECIMAL(38, 10)))", "The difference of two exact decimals."),
    _made("exact_times", "x y", """coalesce(TRY(CAST(x * y AS DECIMAL(38, 10))),
          CASE WHEN CAST(x AS DECIMAL(38, 5)) = x AND CAST(y AS DECIMAL(38, 5)) = y THEN TRY(CAST(CAST(x AS DECIMAL(38, 5)) * CAST(y AS DECIMAL(38, 5)) AS DECIMAL(38, 10))) END)""",
          "The product of two exact decimals, rounded to 10 places; missing where it has more than 28 digits before the point (18 where both have more than 5 places)."),
    _made("round_even_half", "x places", """CASE WHEN abs(x) < 1e15 AND places BETWEEN -15 AND 15
          THEN neat_number(CASE WHEN abs(neat_number(x * power(10.0, places)) - trunc(neat_number(x * power(10.0, places)))) = 0.5
               THEN 2 * round(neat_number(x * power(10.0, places)) / 2) ELSE round(neat_number(x * power(10.0, places))) END / power(10.0, places)) + 0.0
          ELSE round(x, places) END""", "A number to so many places, halves to the even digit, as its decimal digits read: 2.345 is 2.34 to two."),
    _made("exact_round", "x places", "CAST(round(x, places) AS DECIMAL(38, 10))", "An exact decimal to so many places, halves away from zero."),
    _made("as_exact", "x", "TRY_CAST(x AS DECIMAL(38, 10))", "A number as an exact decimal; missing beyond 28 digits before the point."),
    _made("exact_round_even", "x places unit", """CAST(CASE WHEN abs(exact_round(x, places) - x) * 2 = unit AND exact_round(x, places) % (unit * 2) <> 0
          THEN exact_round(x, places) - sign(x) * unit ELSE exact_round(x, places) END AS DECIMAL(38, 10))""",
          "An exact decimal to so many places, halves to the even digit; `unit` is one of the last digit."),
    _made("fixed_number", "x places decimal_mark thousands_mark", r"""CASE WHEN x < 0 AND round_number(CAST(x AS DOUBLE), places) <> 0 THEN '-' ELSE '' END ||
          array_to_string(list_reverse(list_transform(regexp_extract_all(reverse(split_part(printf('%.*f', places, abs(round_number(CAST(x AS DOUBLE), places))), '.', 1)), '.{1,3}'),
          lambda g: reverse(g))), thousands_mark) || CASE WHEN places > 0 THEN decimal_mark || split_part(printf('%.*f', places, abs(round_number(CAST(x AS DOUBLE), places))), '.', 2)
          ELSE '' END""", "A number with so many places and the marks wanted."),
    _made("read_moment", "t p f", "CASE WHEN regexp_full_match(trim(t), p) THEN try_strptime(trim(t), f) END",
          "A text that fits a pattern as a moment in a form; missing where it is none."),
    _made("any_moment", "t f", "try_strptime(trim(t), f)", "A text as a moment in a form; missing where it is none."),
    _made("safe_date", "y m d", "TRY(make_date(y, m, d))", "The date of a year, month and day; missing where there is none."),
    _made("days_later", "m n", "TRY(m + to_days(CAST(n AS INTEGER)))", "So many days later."),
    _made("seconds_later", "m n", "TRY(m + to_microseconds(CAST(round(n * 1000000) AS BIGINT)))", "So many seconds later."),
    _made("months_later", "m n", "TRY(m + to_months(CAST(n AS INTEGER)))", "So many months later."),
    _made("years_later", "m n", "TRY(m + to_years(CAST(n AS INTEGER)))", "So many years later."),
    _made("within_century", "m last", """CASE WHEN day(TRY(m + to_years(CAST(last - (10000 + last - year(m)) % 100 - year(m) AS INTEGER)))) = day(m)
          THEN m + to_years(CAST(last - (10000 + last - year(m)) % 100 - year(m) AS INTEGER)) END""",
          "A moment in the hundred years that end with a year, its last two digits kept; missing where that year has no such day."),
    _made("plain_hash", "t", "sha256(t)", "SHA-256 of a text in hexadecimal."),
    _made("write_moment", "m f", "strftime(m, f)", "A moment in a form."),
    _made("is_truth", "t", "CASE WHEN lower(trim(t)) IN ('yes', 'true', 'y', 't', '1') THEN true WHEN lower(trim(t)) IN ('no', 'false', 'n', 'f', '0') THEN false END",
          "A text as true or false; missing where it is neither."),
    _made("keyed_hash", "t outer_pad inner_pad", "sha256(unhex(outer_pad) || unhex(sha256(unhex(inner_pad) || encode(t))))",
          "HMAC-SHA-256 (RFC 2104) of a text, the key given as its two pads in hexadecimal."),
    _made("before_text", "t m", "CASE WHEN strpos(t, m) > 0 THEN left(t, strpos(t, m) - 1) END", "What stands before the first occurrence."),
    _made("after_text", "t m", "CASE WHEN strpos(t, m) > 0 THEN substring(t, strpos(t, m) + length(m)) END", "What stands after the first occurrence."),
    _made("before_last_text", "t m", "CASE WHEN strpos(t, m) > 0 THEN left(t, length(t) - strpos(reverse(t), reverse(m)) - length(m) + 1) END",
          "What stands before the last occurrence."),
    _made("after_last_text", "t m", "CASE WHEN strpos(t, m) > 0 THEN right(t, strpos(reverse(t), reverse(m)) - 1) END",
          "What stands after the last occurrence."),
    _made("part_from_left", "t m n", "list_extract(string_split(t, m), n)", "A part between marks, counted from the left."),
    _made("part_from_right", "t m n", "list_extract(string_split(t, m), len(string_split(t, m)) - n + 1)", "A part between marks, counted from the right."),
    _made("rest_from_left", "t m n", "array_to_string(list_slice(string_split(t, m), n, len(string_split(t, m))), m)", "All parts from one on."),
    _made("rest_from_right", "t m n", "array_to_string(list_slice(string_split(t, m), 1, len(string_split(t, m)) - n + 1), m)", "All parts up to one, counted from the right."),
    _made("hex_byte", "h i", """(strpos('0123456789abcdef', substring(h, CAST(1 + (2 * i) % 64 AS INTEGER), 1)) - 1) * 16
          + strpos('0123456789abcdef', substring(h, CAST(2 + (2 * i) % 64 AS INTEGER), 1)) - 1""", "A byte of a hash in hexadecimal, by its place, around."),
    _made("disguised", "t h", r"""array_to_string(list_transform(generate_series(1, length(t)), lambda i: CASE
          WHEN regexp_full_match(substring(t, i, 1), '\p{Nd}') THEN chr(48 + CAST(hex_byte(h, i) % 10 AS INTEGER))
          WHEN NOT regexp_full_match(substring(t, i, 1), '\p{L}') THEN substring(t, i, 1)
          WHEN lower(substring(t, i, 1)) <> substring(t, i, 1) THEN chr(65 + CAST(hex_byte(h, i) % 26 AS INTEGER))
          ELSE chr(97 + CAST(hex_byte(h, i) % 26 AS INTEGER)) END), '')""", "A text whose letters and digits are others, drawn from a hash."),
    _made("parts_between", "t m", "list_filter(list_transform(string_split(t, m), lambda x: trim(x)), lambda x: x <> '')", "The parts of a list in a cell, spaces aside."),
    _made("days_of_period", "a b most each", """CASE WHEN b >= a AND b - a < most THEN list_transform(
          generate_series(CAST(date_trunc(each, a) AS TIMESTAMP), CAST(b AS TIMESTAMP), to_days(CAST(CASE each WHEN 'week' THEN 7 WHEN 'day' THEN 1 ELSE 0 END AS INTEGER))
          + to_months(CAST(CASE each WHEN 'month' THEN 1 ELSE 0 END AS INTEGER))), lambda x: CAST(x AS DATE)) END""",
          "The days of a period, or the first ones of its weeks or months; missing where it ends before it begins or has `most` days or more."),
    _made("each_once", "l", "list_filter(l, lambda x, i: list_position(l, x) = i)", "Each item once, in order."),
    _made("key_text", "t", rf"lower(regexp_replace(CAST(t AS VARCHAR), '{SPACES}', '', 'g'))", "A text without letter case and spaces, to compare by."),
    _made("unread_value", "r n", "list_extract(list_transform(list_filter(r, lambda x: x.name = n AND x.value IS NOT NULL), lambda x: x.value), 1)",
          "The value of a column that could not be read, as the reasons of its record tell it."),
    _made("iban_holds", "t", r"""regexp_full_match(replace(upper(t), ' ', ''), '[A-Z]{2}[0-9]{2}[A-Z0-9]{11,30}') AND list_reduce(list_transform(
          string_split(substring(replace(upper(t), ' ', ''), 5) || left(replace(upper(t), ' ', ''), 4), ''), lambda c: ascii(c) - CASE WHEN c <= '9' THEN 48 ELSE 55 END),
          lambda x, d: (x * CASE WHEN d < 10 THEN 10 ELSE 100 END + d) % 97) = 1""", "Whether a text is an account number whose check number is right (ISO 13616)."),
    _made("card_holds", "t", r"""regexp_full_match(trim(t), '[0-9]([ -]?[0-9]){12,18}') AND list_sum(list_transform(
          string_split(reverse(regexp_replace(t, '[^0-9]', '', 'g')), ''), lambda c, i: ((ascii(c) - 48) * (2 - i % 2)) % 10 + ((ascii(c) - 48) * (2 - i % 2)) // 10)) % 10 = 0""",
          "Whether a text is a card number of 13 to 19 digits whose check digit is right (ISO/IEC 7812)."),
    _made("letter_shape", "t", r"regexp_replace(regexp_replace(regexp_replace(t, '\p{Nd}', '9', 'g'), '\p{Lu}|\p{Lt}', 'A', 'g'), '\p{Ll}', 'a', 'g')",
          "The shape of a text: digits as 9, letters as a or A."),
)  # fmt: skip
