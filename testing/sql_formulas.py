"""Formulas as they are written in SQL, with the results worked out by hand: they hold in the engine and in PostgreSQL."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal

from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

COLUMNS = [
    Column("price", DataType.DECIMAL), Column("qty", DataType.WHOLE), Column("name"), Column("code"), Column("sent", DataType.DATE),
    Column("at", DataType.DATETIME), Column("paid", DataType.BOOLEAN), Column("note"), Column("amount", DataType.EXACT), Column("born", DataType.DATE),
    Column("raw"), Column("load", DataType.DECIMAL), Column("site name"),
]  # fmt: skip
#: The one record, as both read it.
ROW = (
    "CAST(12.5 AS DOUBLE PRECISION) AS price, CAST(3 AS BIGINT) AS qty, 'Anna Tarrow' AS name, 'WQ-0042-b' AS code, DATE '2024-03-17' AS sent, "
    "TIMESTAMP '2024-03-17 09:40:05' AS at, true AS paid, CAST(NULL AS VARCHAR) AS note, CAST(1170.495 AS DECIMAL(38, 10)) AS amount, "
    "DATE '2000-02-29' AS born, ' 7.25 ' AS raw, CAST(40 AS DOUBLE PRECISION) AS load, 'Upper Merrow' AS \"site name\""
)


AS_WRITTEN: list[tuple[str, object]] = [
    # casts
    ("CAST(raw AS DOUBLE PRECISION)", 7.25), ("CAST(raw AS INTEGER)", 7.0), ("CAST(price AS INTEGER)", 13.0),
    ("CAST(price AS VARCHAR)", "12.5"), ("CAST(price AS TEXT) || ' EUR'", "12.5 EUR"), ("CAST(name AS CHAR(4))", "Anna"),
    ("CAST(name AS VARCHAR(4))", "Anna"), ("CAST('2024-02-29' AS DATE)", date(2024, 2, 29)), ("CAST('2024-02-30' AS TEXT)", "2024-02-30"),
    ("CAST(at AS DATE)", date(2024, 3, 17)), ("CAST(sent AS TIMESTAMP)", datetime(2024, 3, 17)), ("raw::numeric(10, 1)", 7.3), ("qty::text", "3"),
    ("CAST(name AS INTEGER)", None), ("TRY_CAST(name AS DOUBLE)", None), ("CAST('yes' AS BOOLEAN)", True), ("'12'::int + 1", 13.0),
    ("CAST('2024-03-17 09:40:05' AS TIMESTAMP)", datetime(2024, 3, 17, 9, 40, 5)), ("CAST(price AS DECIMAL(10, 0))", 13.0),
    ("CAST(note AS INTEGER)", None), ("CAST(paid AS INTEGER)", 1.0),
    # parts of dates
    ("EXTRACT(YEAR FROM sent)", 2024.0), ("EXTRACT(MONTH FROM sent)", 3.0), ("EXTRACT(DAY FROM sent)", 17.0), ("EXTRACT(HOUR FROM at)", 9.0),
    ("EXTRACT(MINUTE FROM at)", 40.0), ("EXTRACT(SECOND FROM at)", 5.0), ("EXTRACT(QUARTER FROM sent)", 1.0), ("EXTRACT(DOW FROM sent)", 0.0),
    ("EXTRACT(ISODOW FROM sent)", 7.0), ("EXTRACT(DOY FROM sent)", 77.0), ("EXTRACT(WEEK FROM sent)", 11.0), ("DATE_PART('year', sent)", 2024.0),
    ("EXTRACT(EPOCH FROM at)", 1710668405.0), ("extract(isoyear from date '2021-01-02')", 2020.0),
    ("DATE_TRUNC('month', sent)", date(2024, 3, 1)), ("DATE_TRUNC('year', sent)", date(2024, 1, 1)), ("DATE_TRUNC('quarter', sent)", date(2024, 1, 1)),
    ("date_trunc('week', sent)", date(2024, 3, 11)), ("date_trunc('hour', at)", datetime(2024, 3, 17, 9)), ("date_trunc('day', at)", date(2024, 3, 17)),
    ("date_trunc('minute', at)", datetime(2024, 3, 17, 9, 40)),
    # calculating with dates
    ("sent + 7", date(2024, 3, 24)), ("sent - 17", date(2024, 2, 29)), ("7 + sent", date(2024, 3, 24)), ("sent - born", 8783.0),
    ("sent + INTERVAL '1 month'", date(2024, 4, 17)), ("sent + INTERVAL '1' YEAR", date(2025, 3, 17)), ("born + INTERVAL '1' YEAR", date(2001, 2, 28)),
    ("sent - INTERVAL '2 weeks'", date(2024, 3, 3)), ("at + INTERVAL '90 minutes'", datetime(2024, 3, 17, 11, 10, 5)),
    ("at - INTERVAL '1 hour'", datetime(2024, 3, 17, 8, 40, 5)), ("sent + INTERVAL 3 DAY", date(2024, 3, 20)), ("sent - born > 365", True),
    ("(sent - born) / 365.25 > 24", True), ("sent - born + 1", 8784.0), ("sent + qty", date(2024, 3, 20)), ("sent + interval '1 day' - born", 8784.0),
    ("sent > '2024-01-01'", True), ("sent BETWEEN '2024-03-01' AND '2024-03-31'", True), ("at >= '2024-03-17 09:40'", True),
    ("sent IN ('2024-03-17', '2024-03-18')", True), ("sent = DATE '2024-03-17'", True),
    # texts
    ("SUBSTRING(code FROM 4 FOR 4)", "0042"), ("SUBSTRING(code FROM 4)", "0042-b"), ("SUBSTRING(code, 1, 2)", "WQ"), ("SUBSTR(code, 4, 2)", "00"),
    ("SUBSTRING(code FOR 2)", "WQ"), ("POSITION('-' IN code)", 3.0), ("STRPOS(code, '-')", 3.0), ("INSTR(code, '-')", 3.0), ("POSITION('x' IN code)", 0.0),
    ("TRIM(raw)", "7.25"), ("TRIM(BOTH ' ' FROM raw)", "7.25"), ("TRIM(LEADING 'W' FROM code)", "Q-0042-b"), ("TRIM(TRAILING 'b' FROM code)", "WQ-0042-"),
    ("TRIM(BOTH FROM raw)", "7.25"), ("BTRIM(code, 'Wb')", "Q-0042-"), ("LTRIM('0042', '0')", "42"), ("RTRIM('7.500', '0')", "7.5"),
    ("UPPER(name)", "ANNA TARROW"), ("LOWER(name)", "anna tarrow"), ("INITCAP('anna TARROW')", "Anna Tarrow"), ("CHAR_LENGTH(code)", 9.0),
    ("CHARACTER_LENGTH(code)", 9.0), ("LENGTH(code)", 9.0), ("OVERLAY(code PLACING 'xx' FROM 1 FOR 2)", "xx-0042-b"),
    ("OVERLAY(code PLACING 'xx' FROM 1)", "xx-0042-b"), ("CONCAT(name, ', ', qty)", "Anna Tarrow, 3"), ("CONCAT_WS('-', 'a', note, qty)", "a-3"),
    ("name || ' ' || qty", "Anna Tarrow 3"), ("name || note", None), ("REPLACE(code, '-', '')", "WQ0042b"), ("REVERSE('abc')", "cba"),
    ("LEFT(code, 2)", "WQ"), ("RIGHT(code, 1)", "b"), ("REPEAT('ab', 2)", "abab"), ("SPLIT_PART(code, '-', 2)", "0042"),
    ("TRANSLATE(code, '-b', '_c')", "WQ_0042_c"), ("CHR(65)", "A"), ("ASCII('A')", 65.0), ("LPAD('7', 3, '0')", "007"), ("RPAD('7', 3, '.')", "7.."),
    ("REGEXP_REPLACE(code, '[0-9]', 'x')", "WQ-x042-b"), ("REGEXP_REPLACE(code, '[0-9]', 'x', 'g')", "WQ-xxxx-b"),
    ("REGEXP_REPLACE(code, 'wq', 'x', 'i')", "x-0042-b"), ("REGEXP_MATCHES(code, '^WQ')", True), ("REGEXP_SUBSTR(code, '[0-9]+')", "0042"),
    ("STARTS_WITH(code, 'WQ')", True), ("TO_CHAR(sent, 'DD.MM.YYYY')", "17.03.2024"), ("TO_CHAR(at, 'YYYY-MM-DD HH24:MI')", "2024-03-17 09:40"),
    ("TO_DATE('17.03.2024', 'DD.MM.YYYY')", date(2024, 3, 17)), ("TO_TIMESTAMP('17/03/2024 09:40', 'DD/MM/YYYY HH24:MI')", datetime(2024, 3, 17, 9, 40)),
    ('"site name"', "Upper Merrow"),
    # numbers
    ("CEIL(price)", 13.0), ("CEILING(price)", 13.0), ("FLOOR(price)", 12.0), ("ROUND(price / 3, 2)", 4.17), ("TRUNC(price)", 12.0), ("TRUNC(12.789, 1)", 12.7),
    ("MOD(qty, 2)", 1.0), ("qty % 2", 1.0), ("ABS(-price)", 12.5), ("POWER(qty, 2)", 9.0), ("POW(qty, 2)", 9.0), ("SQRT(qty * qty)", 3.0), ("SIGN(-2)", -1.0),
    ("LN(1)", 0.0), ("LOG(100)", 2.0), ("GREATEST(price, qty)", 12.5), ("LEAST(price, qty)", 3.0), ("ROUND(amount, 2)", Decimal("1170.50")),
    ("price * qty", 37.5), ("load + 1", 41.0), ("-qty", -3.0), ("1 / 3 < 0.34", True),
    # choices and conditions
    ("CASE qty WHEN 1 THEN 'one' WHEN 3 THEN 'three' ELSE 'many' END", "three"), ("CASE WHEN price > 10 THEN 'dear' ELSE 'cheap' END", "dear"),
    ("CASE name WHEN 'x' THEN 1 END", None), ("NULLIF(qty, 3)", None), ("COALESCE(note, name)", "Anna Tarrow"), ("IFNULL(note, 'none')", "none"),
    ("NVL(note, 'none')", "none"), ("note IS NULL", True), ("note IS NOT NULL", False), ("paid", True), ("NOT paid", False), ("paid IS TRUE", True),
    ("note IS DISTINCT FROM name", True), ("note IS NOT DISTINCT FROM NULL", True), ("qty IS NOT DISTINCT FROM 3", True), ("name LIKE 'Anna%'", True),
    ("name NOT LIKE '%x%'", True), ("name ILIKE 'ANNA%'", True), ("'50%' LIKE '50!%' ESCAPE '!'", True), ("'500' LIKE '50!%' ESCAPE '!'", False),
    ("'500' NOT LIKE '50!%' ESCAPE '!'", True), ("price BETWEEN 10 AND 20", True), ("price NOT BETWEEN 10 AND 20", False),
    ("price BETWEEN SYMMETRIC 20 AND 10", True), ("qty IN (1, 2, 3)", True), ("qty NOT IN (1, 2, 3)", False), ("qty <> 3", False), ("qty != 3", False),
    ("price > 10 AND (qty = 3 OR paid)", True), ("load > 10 and paid", True), ("IIF(paid, 'y', 'n')", "y"),
]  # fmt: skip
