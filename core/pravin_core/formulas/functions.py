"""The functions of formulas, in one table: from it come checks, help, completion and tests.

A signature names what each argument must be, then what the function gives. `?=` makes an argument optional with a
default, `...` lets the last one repeat; `same` is any one type. Three kinds of argument must be written out as text:
`pattern` (RE2 syntax), `form` (of a date, as in %Y-%m-%d) and `mark` (one character).
"""

from __future__ import annotations

from dataclasses import dataclass

TEXT, NUMBER, DATE, MOMENT, TRUTH, LIST, ANY, SAME = "text", "number", "date", "moment", "truth", "list", "any", "same"
PATTERN, FORM, MARK = "pattern", "form", "mark"
WRITTEN_OUT = (PATTERN, FORM, MARK)


@dataclass(frozen=True)
class Argument:
    """What one argument must be; `default` is its formula where it is left out."""

    type: str
    default: str | None = None
    repeats: bool = False


@dataclass(frozen=True)
class Function:
    """A function: `sql` is a template of the engine with the arguments as :a, :b, ...; :all stands for all of them."""

    name: str
    group: str
    signature: str
    about: str
    example: str
    result: object
    sql: str

    @property
    def arguments(self) -> tuple[Argument, ...]:
        """The arguments in order."""
        taken = self.signature.split(" -> ")[0]
        return tuple(_argument(part.strip()) for part in taken.split(",") if part.strip())

    @property
    def gives(self) -> str:
        """The type of the result."""
        return self.signature.split(" -> ")[1]


def _argument(part: str) -> Argument:
    if part.endswith("..."):
        return Argument(part.removesuffix("..."), repeats=True)
    kind, _, default = part.partition("?=")
    return Argument(kind, default or None)


_TABLE: dict[str, list[tuple[str, str, str, str, object, str]]] = {
    "Text": [
        ("upper", "text -> text", "In upper case.", "upper('Weir 2')", "WEIR 2", "upper(:a)"),
        ("lower", "text -> text", "In lower case.", "lower('Weir 2')", "weir 2", "lower(:a)"),
        ("capitalise", "text -> text", "The first letter in upper case, the others in lower case.", "capitalise('HARBOUR east')",
         "Harbour east", "upper(left(:a, 1)) || lower(substring(:a, 2))"),
        ("capitalise_words", "text -> text", "Each word with a capital letter, the others in lower case.", "capitalise_words('upper MERROW')",
         "Upper Merrow", "words_capital(:a)"),
        ("trim", "text -> text", "Without spaces at the ends, also those that cannot be seen.", "trim('  weir ')", "weir",
         r"regexp_replace(:a, '^[\s\p{Z}]+|[\s\p{Z}]+$', '', 'g')"),
        ("trim_of", "text, text -> text", "Without these characters at the ends.", "trim_of('--7.4-', '-')", "7.4", "trim(:a, :b)"),
        ("ltrim_of", "text, text -> text", "Without these characters at the beginning.", "ltrim_of('0042', '0')", "42", "ltrim(:a, :b)"),
        ("rtrim_of", "text, text -> text", "Without these characters at the end.", "rtrim_of('7.400', '0')", "7.4", "rtrim(:a, :b)"),
        ("translate", "text, text, text -> text", "Each character of the second text becomes the one at its place in the third, or nothing.",
         "translate('1.234,5', ',.', '.')", "1234.5", "translate(:a, :b, :c)"),
        ("chr", "number -> text", "The character of a number (Unicode); missing where there is none.", "chr(8364)", "€",
         "CASE WHEN :n_a BETWEEN 1 AND 55295 OR :n_a BETWEEN 57344 AND 1114111 THEN chr(:n_a) END"),
        ("ascii", "text -> number", "The number of the first character (Unicode).", "ascii('€5')", 8364.0,
         "CASE WHEN :a <> '' THEN ascii(:a) END"),
        ("ltrim", "text -> text", "Without spaces at the beginning.", "ltrim('  weir ')", "weir ",
         r"regexp_replace(:a, '^[\s\p{Z}]+', '')"),
        ("rtrim", "text -> text", "Without spaces at the end.", "rtrim(' weir  ')", " weir",
         r"regexp_replace(:a, '[\s\p{Z}]+$', '')"),
        ("single_spaces", "text -> text", "One space in place of several, none at the ends.", "single_spaces(' a   b ')", "a b",
         r"trim(regexp_replace(:a, '[\s\p{Z}]+', ' ', 'g'))"),
        ("length", "text -> number", "How many characters.", "length('weir')", 4.0, "length(:a)"),
        ("left", "text, number -> text", "The first characters.", "left('WQ-0042', 2)", "WQ", "left(:a, :n_b)"),
        ("right", "text, number -> text", "The last characters.", "right('WQ-0042', 4)", "0042", "right(:a, :n_b)"),
        ("substring", "text, number, number?=1000000 -> text", "From a position (the first is 1), a number of characters.",
         "substring('WQ-0042', 4, 2)", "00", "substring(:a, greatest(:n_b, 1), greatest(:n_c, 0))"),
        ("position", "text, text -> number", "Where the second text first begins in the first; 0 when nowhere.",
         "position('WQ-0042', '-')", 3.0, "strpos(:a, :b)"),
        ("replace", "text, text, text -> text", "Every occurrence of the second text becomes the third; missing where that could be longer than 20 million characters.",
         "replace('7,4', ',', '.')", "7.4", "CASE WHEN length(:a) * greatest(length(:c), 1) <= 20000000 THEN replace(:a, :b, :c) END"),
        ("concat", "text... -> text", "The texts one after the other; missing ones are left out.", "concat('WQ', '-', null, '7')",
         "WQ-7", "concat(:all)"),
        ("join_texts", "text, text... -> text", "The texts from the second on, with the first between them; missing ones are left out.",
         "join_texts(', ', 'a', null, 'b')", "a, b", "concat_ws(:all)"),
        ("repeat", "text, number -> text", "The text repeated, at most 1,000 characters.", "repeat('ab', 3)", "ababab",
         "left(repeat(left(:a, 1000), least(greatest(:n_b, 0), 1000)), 1000)"),
        ("reverse", "text -> text", "From the last character to the first.", "reverse('abc')", "cba", "reverse(:a)"),
        ("lpad", "text, number, mark?='0' -> text", "Filled up at the left to a length; longer texts stay.",
         "lpad('42', 4, '0')", "0042",
         "CASE WHEN length(:a) >= :n_b THEN :a ELSE lpad(:a, least(:n_b, 1000), :c) END"),
        ("rpad", "text, number, mark?=' ' -> text", "Filled up at the right to a length; longer texts stay.",
         "rpad('42', 4, '.')", "42..",
         "CASE WHEN length(:a) >= :n_b THEN :a ELSE rpad(:a, least(:n_b, 1000), :c) END"),
        ("before", "text, text -> text", "What stands before the first occurrence; missing where there is none.",
         "before('WQ-0042-b', '-')", "WQ", "CASE WHEN strpos(:a, :b) > 0 THEN left(:a, strpos(:a, :b) - 1) END"),
        ("after", "text, text -> text", "What stands after the first occurrence; missing where there is none.",
         "after('WQ-0042-b', '-')", "0042-b",
         "CASE WHEN strpos(:a, :b) > 0 THEN substring(:a, strpos(:a, :b) + length(:b)) END"),
        ("before_last", "text, text -> text", "What stands before the last occurrence; missing where there is none.",
         "before_last('WQ-0042-b', '-')", "WQ-0042",
         "CASE WHEN strpos(:a, :b) > 0 THEN "
         "left(:a, length(:a) - strpos(reverse(:a), reverse(:b)) - length(:b) + 1) END"),
        ("after_last", "text, text -> text", "What stands after the last occurrence; missing where there is none.",
         "after_last('WQ-0042-b', '-')", "b",
         "CASE WHEN strpos(:a, :b) > 0 THEN right(:a, strpos(reverse(:a), reverse(:b)) - 1) END"),
        ("enclosed", "text, text, text -> text", "What stands between two texts; missing where there is none.",
         "enclosed('ph (field)', '(', ')')", "field",
         "CASE WHEN strpos(:a, :b) > 0 AND strpos(substring(:a, strpos(:a, :b) + length(:b)), :c) > 0 THEN "
         "left(substring(:a, strpos(:a, :b) + length(:b)), strpos(substring(:a, strpos(:a, :b) + length(:b)), :c) - 1) END"),
        ("starts_with", "text, text -> truth", "Whether the first text begins with the second.", "starts_with('WQ-1', 'WQ')",
         True, "starts_with(:a, :b)"),
        ("ends_with", "text, text -> truth", "Whether the first text ends with the second.", "ends_with('WQ-1', '1')", True,
         "ends_with(:a, :b)"),
        ("contains", "text, text -> truth", "Whether the second text stands in the first.", "contains('Upper Merrow', 'Mer')",
         True, "contains(:a, :b)"),
        ("occurrences", "text, text -> number", "How often the second text stands in the first.", "occurrences('a-b-c', '-')",
         2.0, "(length(:a) - length(replace(:a, :b, ''))) / nullif(length(:b), 0)"),
        ("digits", "text -> text", "Its digits only.", "digits('WQ-0042')", "0042", "regexp_replace(:a, '[^0-9]', '', 'g')"),
        ("letters", "text -> text", "Its letters only.", "letters('WQ-0042 é')", "WQé", r"regexp_replace(:a, '[^\p{L}]', '', 'g')"),
        ("without_accents", "text -> text", "Letters without their accents.", "without_accents('Größbach é')", "Großbach e",
         "strip_accents(:a)"),
        ("normalised", "text -> text", "The same characters in their composed form (Unicode NFC).", "normalised('e\u0301')", "\u00e9",
         "nfc_normalize(:a)"),
        ("visible", "text -> text", "Without characters that cannot be seen; spaces stay.", "visible('a\u200bb')", "ab",
         r"regexp_replace(:a, '[\p{Cc}\p{Cf}]', '', 'g')"),
        ("words", "text -> number", "How many words, divided by spaces.", "words('Upper Merrow weir')", 3.0,
         r"len(regexp_extract_all(:a, '[^\s\p{Z}]+'))"),
        ("word", "text, number -> text", "The word at a place, counted from 1; from the end when negative.",
         "word('Upper Merrow weir', -1)", "weir", r"list_extract(regexp_extract_all(:a, '[^\s\p{Z}]+'), :n_b)"),
        ("shape", "text -> text", "Digits as 9, letters as a or A.", "shape('WQ-42 b')", "AA-99 a", "letter_shape(:a)"),
        ("sha256", "text -> text", "The SHA-256 digest of a text, without a key.", "left(sha256('a'), 8)", "ca978112",
         "plain_hash(:a)"),
        ("edits", "text, text -> number", "How many characters differ (Damerau and Levenshtein).", "edits('nitrate', 'nitrtae')", 1.0,
         "damerau_levenshtein(left(:a, 200), left(:b, 200))"),
    ],
    "Pattern": [
        ("matches", "text, pattern -> truth", "Whether the pattern fits anywhere; ^ and $ stand for the ends.",
         "matches('WQ-0042', '^WQ-[0-9]+$')", True, "regexp_matches(:a, :b)"),
        ("extract", "text, pattern -> text", "What the pattern, or its first group in brackets, fits; missing where it does not.",
         "extract('depth 12 m', '([0-9]+) m')", "12",
         "CASE WHEN regexp_matches(:a, :b) THEN regexp_extract(:a, :b, :group_b) END"),
        ("extract_all", "text, pattern -> list", "All that the pattern fits, in order.", "item(extract_all('3, 14', '[0-9]+'), 2)", "14",
         "regexp_extract_all(:a, :b)"),
        ("replace_pattern", "text, pattern, text -> text", "All that the pattern fits becomes the text (\\1 is its first group).",
         r"replace_pattern('12/2024', '(\d+)/(\d+)', '\2-\1')", "2024-12", "CASE WHEN length(:a) * greatest(length(:c), 1) <= 20000000 THEN regexp_replace(:a, :b, :c, 'g') END"),
        ("replace_first", "text, pattern, text -> text", "The first that the pattern fits becomes the text (\\1 is its first group).",
         "replace_first('a-b-c', '-', '+')", "a+b-c", "CASE WHEN length(:a) + length(:c) * 10 <= 20000000 THEN regexp_replace(:a, :b, :c) END"),
        ("count_pattern", "text, pattern -> number", "How often the pattern fits.", "count_pattern('a1b22', '[0-9]+')", 2.0,
         "len(regexp_extract_all(:a, :b))"),
    ],
    "Number": [
        ("abs", "number -> number", "Without its sign.", "abs(-7.4)", 7.4, "abs(:a)"),
        ("sign", "number -> number", "1, 0 or -1.", "sign(-7.4)", -1.0, "sign(:a)"),
        ("round", "number, number?=0 -> number", "To so many places; halves away from zero.", "round(7.346, 2)", 7.35, "round_number(:a, :n_b)"),
        ("floor", "number -> number", "The whole number below.", "floor(-7.4)", -8.0, "floor(:a)"),
        ("ceiling", "number -> number", "The whole number above.", "ceiling(7.1)", 8.0, "ceil(:a)"),
        ("truncate", "number -> number", "Without its fraction.", "truncate(-7.9)", -7.0, "trunc(:a)"),
        ("remainder", "number, number -> number", "What is left after division; missing for division by zero.", "remainder(17, 5)", 2.0,
         ":a % nullif(:b, 0)"),
        ("quotient", "number, number -> number", "The whole part of a division; missing for division by zero.", "quotient(17, 5)", 3.0,
         "trunc(:a / nullif(:b, 0))"),
        ("power", "number, number -> number", "The first to the power of the second.", "power(2, 10)", 1024.0, "power(:a, :b)"),
        ("sqrt", "number -> number", "The square root; missing below zero.", "sqrt(2.25)", 1.5, "CASE WHEN :a >= 0 THEN sqrt(:a) END"),
        ("cbrt", "number -> number", "The cube root.", "round(cbrt(27), 9)", 3.0, "cbrt(:a)"),
        ("exp", "number -> number", "e to this power.", "exp(0)", 1.0, "exp(:a)"),
        ("ln", "number -> number", "The natural logarithm; missing at or below zero.", "ln(1)", 0.0, "CASE WHEN :a > 0 THEN ln(:a) END"),
        ("log10", "number -> number", "The logarithm to base 10; missing at or below zero.", "log10(1000)", 3.0, "CASE WHEN :a > 0 THEN log10(:a) END"),
        ("log2", "number -> number", "The logarithm to base 2; missing at or below zero.", "log2(8)", 3.0, "CASE WHEN :a > 0 THEN log2(:a) END"),
        ("greatest", "same... -> same", "The greatest; missing ones are left out.", "greatest(3, null, 12)", 12.0, "greatest(:all)"),
        ("least", "same... -> same", "The least; missing ones are left out.", "least(3, null, 12)", 3.0, "least(:all)"),
        ("within", "number, number, number -> number", "Not below the second, not above the third.", "within(17, 0, 14)", 14.0,
         "CASE WHEN :a IS NOT NULL THEN least(greatest(:a, :b), :c) END"),
        ("is_whole", "number -> truth", "Whether it has no fraction.", "is_whole(7.4)", False, ":a = trunc(:a)"),
        ("pi", " -> number", "The circle's number.", "round(pi(), 4)", 3.1416, "pi()"),
        ("sin", "number -> number", "Sine of an angle in radians.", "sin(0)", 0.0, "CASE WHEN isfinite(:a) THEN sin(:a) END"),
        ("cos", "number -> number", "Cosine of an angle in radians.", "cos(0)", 1.0, "CASE WHEN isfinite(:a) THEN cos(:a) END"),
        ("tan", "number -> number", "Tangent of an angle in radians.", "tan(0)", 0.0, "CASE WHEN isfinite(:a) THEN tan(:a) END"),
        ("asin", "number -> number", "The angle of a sine; missing beyond -1 to 1.", "asin(0)", 0.0, "CASE WHEN :a BETWEEN -1 AND 1 THEN asin(:a) END"),
        ("acos", "number -> number", "The angle of a cosine; missing beyond -1 to 1.", "acos(1)", 0.0, "CASE WHEN :a BETWEEN -1 AND 1 THEN acos(:a) END"),
        ("atan", "number -> number", "The angle of a tangent.", "atan(0)", 0.0, "atan(:a)"),
        ("radians", "number -> number", "Degrees as radians.", "round(radians(180), 4)", 3.1416, "radians(:a)"),
        ("degrees", "number -> number", "Radians as degrees.", "round(degrees(pi()), 9)", 180.0, "degrees(:a)"),
    ],
    "Date": [
        ("make_date", "number, number, number -> date", "From year, month and day; missing where there is no such day.",
         "to_text(make_date(2024, 2, 29))", "2024-02-29", "safe_date(:n_a, :n_b, :n_c)"),
        ("year", "moment -> number", "The year.", "year(date '2024-03-17')", 2024.0, "year(:a)"),
        ("quarter", "moment -> number", "The quarter, 1 to 4.", "quarter(date '2024-03-17')", 1.0, "quarter(:a)"),
        ("month", "moment -> number", "The month, 1 to 12.", "month(date '2024-03-17')", 3.0, "month(:a)"),
        ("week", "moment -> number", "The week of the year (ISO 8601).", "week(date '2024-03-17')", 11.0, "week(:a)"),
        ("day", "moment -> number", "The day of the month.", "day(date '2024-03-17')", 17.0, "day(:a)"),
        ("weekday", "moment -> number", "The day of the week: Monday is 1, Sunday 7.", "weekday(date '2024-03-17')", 7.0, "isodow(:a)"),
        ("day_of_year", "moment -> number", "The day of the year.", "day_of_year(date '2024-03-17')", 77.0, "dayofyear(:a)"),
        ("hour", "moment -> number", "The hour.", "hour(timestamp '2024-03-17 09:40:00')", 9.0, "hour(:a)"),
        ("minute", "moment -> number", "The minute.", "minute(timestamp '2024-03-17 09:40:00')", 40.0, "minute(:a)"),
        ("second", "moment -> number", "The second.", "second(timestamp '2024-03-17 09:40:05')", 5.0, "second(:a)"),
        ("days_between", "moment, moment -> number", "Whole days from the first to the second.",
         "days_between(date '2024-02-28', date '2024-03-01')", 2.0, "datesub('day', :a, :b)"),
        ("hours_between", "moment, moment -> number", "Hours from the first to the second.",
         "hours_between(timestamp '2024-03-17 09:40:00', timestamp '2024-03-17 10:10:00')", 0.5, "(epoch(:b) - epoch(:a)) / 3600"),
        ("months_between", "moment, moment -> number", "Whole months from the first to the second.",
         "months_between(date '2024-01-31', date '2024-03-30')", 1.0, "datesub('month', :a, :b)"),
        ("years_between", "moment, moment -> number", "Whole years from the first to the second.",
         "years_between(date '2000-03-18', date '2024-03-17')", 23.0, "datesub('year', :a, :b)"),
        ("add_days", "moment, number -> moment", "So many whole days later.", "to_text(add_days(date '2024-02-28', 2))", "2024-03-01 00:00:00",
         "days_later(CAST(:a AS TIMESTAMP), :n_b)"),
        ("add_months", "moment, number -> moment", "So many months later, at most the last day of the month.",
         "to_text(add_months(date '2024-01-31', 1))", "2024-02-29 00:00:00",
         "months_later(CAST(:a AS TIMESTAMP), :n_b)"),
        ("add_seconds", "moment, number -> moment", "So many seconds later.", "to_text(add_seconds(timestamp '2024-03-17 09:40:00', 90))",
         "2024-03-17 09:41:30", "seconds_later(CAST(:a AS TIMESTAMP), :b)"),
        ("add_years", "moment, number -> moment", "So many years later.", "year(add_years(date '2024-02-29', 1))", 2025.0,
         "years_later(CAST(:a AS TIMESTAMP), :n_b)"),
        ("day_only", "moment -> date", "The date without the time of day.", "to_text(day_only(timestamp '2024-03-17 09:40:00'))",
         "2024-03-17", "CAST(:a AS DATE)"),
        ("first_of_month", "moment -> date", "The first day of the month.", "to_text(first_of_month(date '2024-03-17'))", "2024-03-01",
         "CAST(date_trunc('month', :a) AS DATE)"),
        ("last_of_month", "moment -> date", "The last day of the month.", "to_text(last_of_month(date '2024-02-03'))", "2024-02-29",
         "last_day(:a)"),
        ("monday_of", "moment -> date", "The Monday of the week.", "to_text(monday_of(date '2024-03-17'))", "2024-03-11",
         "CAST(date_trunc('week', :a) AS DATE)"),
        ("write_date", "moment, form -> text", "Written in a form.", "write_date(date '2024-03-07', '%d.%m.%Y')", "07.03.2024",
         "write_moment(:a, :b)"),
        ("is_weekend", "moment -> truth", "Whether it is a Saturday or Sunday.", "is_weekend(date '2024-03-17')", True, "isodow(:a) >= 6"),
    ],
    "Choice": [
        ("if", "truth, same, same -> same", "The second where the first holds, otherwise the third.", "if(7.4 > 7, 'high', 'low')", "high",
         "CASE WHEN :a THEN :b ELSE :c END"),
        ("coalesce", "same... -> same", "The first that is not missing.", "coalesce(null, 'n', 'm')", "n", "coalesce(:all)"),
        ("nullif", "same, same -> same", "Missing where both are equal, otherwise the first.", "nullif(-999, -999)", None,
         "nullif(:a, :b)"),
        ("is_missing", "any -> truth", "Whether there is no value.", "is_missing(null)", True, ":a IS NULL"),
        ("is_number", "text -> truth", "Whether a text reads as a number.", "is_number('7,4')", False,
         r"regexp_full_match(trim(:a), '[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?')"),
        ("is_iban", "text -> truth", "Whether a text is an account number (IBAN) whose check number is right (ISO 13616).",
         "is_iban('GB82 WEST 1234 5698 7654 32')", True, "iban_holds(:a)"),
        ("is_card_number", "text -> truth", "Whether a text is a card number whose check digit is right (ISO/IEC 7812).",
         "is_card_number('4539 1488 0343 6467')", True, "card_holds(:a)"),
        ("is_date", "text, form -> truth", "Whether a text reads as a date in a form.", "is_date('2024-02-30', '%Y-%m-%d')", False,
         "any_moment(:a, :b) IS NOT NULL"),
    ],
    "Conversion": [
        ("to_text", "any -> text", "As text; dates as year-month-day.", "to_text(7.0)", "7", ":written_a"),
        ("to_number", "text, mark?='.' -> number", "A text as a number, the mark being its decimal mark; missing where it is not one.",
         "to_number('7,4', ',')", 7.4,
         r"CASE WHEN regexp_full_match(trim(replace(:a, :b, '.')), '[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?') "
         "THEN TRY_CAST(trim(replace(:a, :b, '.')) AS DOUBLE) END"),
        ("to_date", "text, form?='%Y-%m-%d' -> date", "A text in a form as a date; missing where it is not one.",
         "to_text(to_date('17.03.2024', '%d.%m.%Y'))", "2024-03-17", "CAST(any_moment(:a, :b) AS DATE)"),
        ("to_moment", "text, form?='%Y-%m-%d %H:%M:%S' -> moment", "A text in a form as a date with its time.",
         "hour(to_moment('17.03.2024 09:40', '%d.%m.%Y %H:%M'))", 9.0, "any_moment(:a, :b)"),
        ("to_truth", "text -> truth", "yes, true, y, t and 1 hold; no, false, n, f and 0 do not; else missing.", "to_truth('Yes')", True,
         "CASE WHEN lower(trim(:a)) IN ('yes', 'true', 'y', 't', '1') THEN true "
         "WHEN lower(trim(:a)) IN ('no', 'false', 'n', 'f', '0') THEN false END"),
    ],
    "List": [
        ("split", "text, text -> list", "The parts of a text between a mark.", "item(split('a; b', '; '), 2)", "b", "string_split(:a, :b)"),
        ("item", "list, number -> text", "The item at a place, counted from 1; from the end when negative.", "item(split('a b c', ' '), -1)",
         "c", "list_extract(:a, :n_b)"),
        ("items", "list -> number", "How many items.", "items(split('a b c', ' '))", 3.0, "len(:a)"),
        ("join_items", "list, text -> text", "The items as one text with a mark between them.", "join_items(split('a b', ' '), '+')", "a+b",
         "array_to_string(:a, :b)"),
        ("sorted", "list -> list", "The items in alphabetical order.", "join_items(sorted(split('c a b', ' ')), ' ')", "a b c", "list_sort(:a)"),
        ("different", "list -> list", "Each item once, in order.", "join_items(different(split('b a b', ' ')), ' ')", "b a",
         "each_once(:a)"),
        ("has_item", "list, text -> truth", "Whether a text is one of the items.", "has_item(split('a b', ' '), 'b')", True,
         "list_contains(:a, :b)"),
        ("backwards", "list -> list", "The items from the last to the first.", "join_items(backwards(split('a b', ' ')), ' ')", "b a",
         "list_reverse(:a)"),
    ],
}  # fmt: skip

FUNCTIONS: dict[str, Function] = {
    name: Function(name, group, signature, about, example, result, sql)
    for group, lines in _TABLE.items()
    for name, signature, about, example, result, sql in lines
}
FORMER_NAMES = {"fingerprint": "sha256"}  # formulas written before still read
