-- What the statements of a rulebook need in PostgreSQL 15 or newer: the operations of rules, and the functions of the
-- engine under the names that it gives them. All of it stands in a schema of its own and can be dropped with it.
CREATE SCHEMA IF NOT EXISTS pravin;
SET search_path = pravin, pg_catalog, public;

CREATE OR REPLACE FUNCTION try_double(t text) RETURNS double precision LANGUAGE plpgsql IMMUTABLE AS $$ BEGIN RETURN t::double precision; EXCEPTION WHEN others THEN RETURN NULL; END $$;
CREATE OR REPLACE FUNCTION try_bigint(t text) RETURNS bigint LANGUAGE plpgsql IMMUTABLE AS $$ BEGIN RETURN t::bigint; EXCEPTION WHEN others THEN RETURN NULL; END $$;
CREATE OR REPLACE FUNCTION try_integer(x double precision) RETURNS integer LANGUAGE plpgsql IMMUTABLE AS $$ BEGIN RETURN x::integer; EXCEPTION WHEN others THEN RETURN NULL; END $$;
CREATE OR REPLACE FUNCTION try_date(t text) RETURNS date LANGUAGE plpgsql IMMUTABLE AS $$ BEGIN RETURN t::date; EXCEPTION WHEN others THEN RETURN NULL; END $$;
CREATE OR REPLACE FUNCTION try_timestamp(t text) RETURNS timestamp LANGUAGE plpgsql IMMUTABLE AS $$ BEGIN RETURN t::timestamp; EXCEPTION WHEN others THEN RETURN NULL; END $$;
CREATE OR REPLACE FUNCTION try_boolean(t text) RETURNS boolean LANGUAGE plpgsql IMMUTABLE AS $$ BEGIN RETURN t::boolean; EXCEPTION WHEN others THEN RETURN NULL; END $$;
CREATE OR REPLACE FUNCTION regexp_full_match(t text, p text) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$ SELECT t ~ ('^(?:' || p || ')$') $$;
CREATE OR REPLACE FUNCTION regexp_matches(t text, p text) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$ SELECT t ~ p $$;
CREATE OR REPLACE FUNCTION regexp_extract(t text, p text, g integer) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN t IS NULL THEN NULL WHEN g = 0 THEN coalesce(substring(t FROM '(?:' || p || ')'), '') ELSE coalesce((regexp_match(t, p))[g], '') END $$;
CREATE OR REPLACE FUNCTION regexp_extract(t text, p text, g bigint) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT pravin.regexp_extract(t, p, g::integer) $$;
CREATE OR REPLACE FUNCTION regexp_extract(t text, p text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT pravin.regexp_extract(t, p, 0) $$;
CREATE OR REPLACE FUNCTION regexp_extract_all(t text, p text) RETURNS text[] LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN t IS NOT NULL THEN coalesce((SELECT array_agg(m[1] ORDER BY n) FROM pg_catalog.regexp_matches(t, '(' || p || ')', 'g') WITH ORDINALITY AS f(m, n)), '{}'::text[]) END $$;
CREATE OR REPLACE FUNCTION string_split(t text, m text) RETURNS text[] LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN t = '' THEN ARRAY[''] WHEN m = '' THEN string_to_array(t, NULL) ELSE string_to_array(t, m) END $$;
CREATE OR REPLACE FUNCTION str_split(t text, m text) RETURNS text[] LANGUAGE sql IMMUTABLE AS $$ SELECT pravin.string_split(t, m) $$;
CREATE OR REPLACE FUNCTION list_extract(l anyarray, n integer) RETURNS anyelement LANGUAGE sql IMMUTABLE AS $$ SELECT l[CASE WHEN n < 0 THEN cardinality(l) + n + 1 ELSE n END] $$;
CREATE OR REPLACE FUNCTION list_position(l anyarray, x anyelement) RETURNS integer LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN x IS NULL THEN NULL ELSE coalesce(array_position(l, x), 0) END $$;
CREATE OR REPLACE FUNCTION list_contains(l anyarray, x anyelement) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN x IS NULL OR l IS NULL THEN NULL ELSE array_position(l, x) IS NOT NULL END $$;
CREATE OR REPLACE FUNCTION list_sum(l integer[]) RETURNS bigint LANGUAGE sql IMMUTABLE AS $$ SELECT sum(x) FROM unnest(l) AS x $$;
CREATE OR REPLACE FUNCTION len(l anyarray) RETURNS integer LANGUAGE sql IMMUTABLE AS $$ SELECT cardinality(l) $$;
CREATE OR REPLACE FUNCTION length(l anyarray) RETURNS integer LANGUAGE sql IMMUTABLE AS $$ SELECT cardinality(l) $$;
CREATE OR REPLACE FUNCTION array_contains(l anyarray, x anyelement) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN x IS NULL OR l IS NULL THEN NULL ELSE array_position(l, x) IS NOT NULL END $$;
CREATE OR REPLACE FUNCTION list_sort(l text[]) RETURNS text[] LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN l IS NOT NULL THEN coalesce((SELECT array_agg(x ORDER BY x COLLATE "C") FROM unnest(l) AS x), '{}'::text[]) END $$;
CREATE OR REPLACE FUNCTION list_reverse(l text[]) RETURNS text[] LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN l IS NOT NULL THEN coalesce((SELECT array_agg(x ORDER BY n DESC) FROM unnest(l) WITH ORDINALITY AS f(x, n)), '{}'::text[]) END $$;
CREATE OR REPLACE FUNCTION contains(t text, p text) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$ SELECT strpos(t, p) > 0 OR (p = '' AND t IS NOT NULL) $$;
CREATE OR REPLACE FUNCTION ends_with(t text, p text) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$ SELECT right(t, length(p)) = p OR (p = '' AND t IS NOT NULL) $$;
CREATE OR REPLACE FUNCTION isfinite(x double precision) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$ SELECT x NOT IN ('Infinity'::double precision, '-Infinity'::double precision, 'NaN'::double precision) $$;
CREATE OR REPLACE FUNCTION round(x double precision, n integer) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$ SELECT pg_catalog.round(x::numeric, n)::double precision $$;
CREATE OR REPLACE FUNCTION round(x double precision) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$ SELECT pg_catalog.round(x::numeric)::double precision $$;
CREATE OR REPLACE FUNCTION log2(x double precision) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$ SELECT (ln(x) / ln(2::double precision)) $$;
CREATE OR REPLACE FUNCTION log(b integer, x double precision) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN b = 10 THEN pg_catalog.log(x) ELSE pg_catalog.log(b::numeric, x::numeric)::double precision END $$;
CREATE OR REPLACE FUNCTION remainder_of(x double precision, y double precision) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$ SELECT x - y * trunc(x / y) $$;
CREATE OR REPLACE FUNCTION strip_accents(t text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT normalize(pg_catalog.regexp_replace(normalize(t, NFD), '[\u0300-\u036f]', '', 'g'), NFC) $$;
CREATE OR REPLACE FUNCTION nfc_normalize(t text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT normalize(t, NFC) $$;
CREATE OR REPLACE FUNCTION year(m timestamp) RETURNS bigint LANGUAGE sql IMMUTABLE AS $$ SELECT extract(year FROM m)::bigint $$;
CREATE OR REPLACE FUNCTION quarter(m timestamp) RETURNS bigint LANGUAGE sql IMMUTABLE AS $$ SELECT extract(quarter FROM m)::bigint $$;
CREATE OR REPLACE FUNCTION month(m timestamp) RETURNS bigint LANGUAGE sql IMMUTABLE AS $$ SELECT extract(month FROM m)::bigint $$;
CREATE OR REPLACE FUNCTION week(m timestamp) RETURNS bigint LANGUAGE sql IMMUTABLE AS $$ SELECT extract(week FROM m)::bigint $$;
CREATE OR REPLACE FUNCTION day(m timestamp) RETURNS bigint LANGUAGE sql IMMUTABLE AS $$ SELECT extract(day FROM m)::bigint $$;
CREATE OR REPLACE FUNCTION isodow(m timestamp) RETURNS bigint LANGUAGE sql IMMUTABLE AS $$ SELECT extract(isodow FROM m)::bigint $$;
CREATE OR REPLACE FUNCTION dayofyear(m timestamp) RETURNS bigint LANGUAGE sql IMMUTABLE AS $$ SELECT extract(doy FROM m)::bigint $$;
CREATE OR REPLACE FUNCTION hour(m timestamp) RETURNS bigint LANGUAGE sql IMMUTABLE AS $$ SELECT extract(hour FROM m)::bigint $$;
CREATE OR REPLACE FUNCTION minute(m timestamp) RETURNS bigint LANGUAGE sql IMMUTABLE AS $$ SELECT extract(minute FROM m)::bigint $$;
CREATE OR REPLACE FUNCTION second(m timestamp) RETURNS bigint LANGUAGE sql IMMUTABLE AS $$ SELECT floor(extract(second FROM m))::bigint $$;
CREATE OR REPLACE FUNCTION epoch(m timestamp) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$ SELECT extract(epoch FROM m)::double precision $$;
CREATE OR REPLACE FUNCTION last_day(m timestamp) RETURNS date LANGUAGE sql IMMUTABLE AS $$ SELECT (date_trunc('month', m) + interval '1 month' - interval '1 day')::date $$;
CREATE OR REPLACE FUNCTION datesub(u text, a timestamp, b timestamp) RETURNS bigint LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE u WHEN 'day' THEN trunc(extract(epoch FROM b - a) / 86400)::bigint
    WHEN 'month' THEN CASE WHEN b >= a THEN ((extract(year FROM b) - extract(year FROM a)) * 12 + extract(month FROM b) - extract(month FROM a)
      - CASE WHEN extract(day FROM b) < extract(day FROM a) AND b::date <> pravin.last_day(b) OR (extract(day FROM b) = extract(day FROM a) AND b::time < a::time) THEN 1 ELSE 0 END)::bigint
      ELSE -pravin.datesub('month', b, a) END
    WHEN 'year' THEN trunc(pravin.datesub('month', a, b) / 12.0)::bigint END $$;
CREATE OR REPLACE FUNCTION damerau_levenshtein(a text, b text) RETURNS integer LANGUAGE plpgsql IMMUTABLE AS $$
DECLARE one integer[]; two integer[]; three integer[]; i integer; j integer; c integer;
BEGIN
  IF a IS NULL OR b IS NULL THEN RETURN NULL; END IF;
  two := ARRAY(SELECT generate_series(0, length(b)));
  FOR i IN 1..length(a) LOOP
    three := ARRAY[i];
    FOR j IN 1..length(b) LOOP
      c := CASE WHEN substr(a, i, 1) = substr(b, j, 1) THEN 0 ELSE 1 END;
      three[j + 1] := least(two[j + 1] + 1, three[j] + 1, two[j] + c);
      IF i > 1 AND j > 1 AND substr(a, i, 1) = substr(b, j - 1, 1) AND substr(a, i - 1, 1) = substr(b, j, 1) THEN
        three[j + 1] := least(three[j + 1], one[j - 1] + 1);
      END IF;
    END LOOP;
    one := two; two := three;
  END LOOP;
  RETURN two[length(b) + 1];
END $$;

CREATE OR REPLACE FUNCTION keep_last(state anyelement, x anyelement) RETURNS anyelement LANGUAGE sql IMMUTABLE AS $$ SELECT coalesce(x, state) $$;
CREATE OR REPLACE FUNCTION keep_first(state anyelement, x anyelement) RETURNS anyelement LANGUAGE sql IMMUTABLE AS $$ SELECT coalesce(state, x) $$;
CREATE OR REPLACE AGGREGATE last_filled(anyelement) (SFUNC = keep_last, STYPE = anyelement);
CREATE OR REPLACE AGGREGATE first_filled(anyelement) (SFUNC = keep_first, STYPE = anyelement);
CREATE OR REPLACE FUNCTION quantile_of(l double precision[], q double precision) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$
  SELECT percentile_cont(q) WITHIN GROUP (ORDER BY x) FROM unnest(l) AS x $$;
CREATE OR REPLACE FUNCTION median_of(l double precision[]) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$ SELECT pravin.quantile_of(l, 0.5) $$;
CREATE OR REPLACE FUNCTION keep_all(l double precision[], x double precision) RETURNS double precision[] LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN x IS NULL THEN l ELSE l || x END $$;
CREATE OR REPLACE FUNCTION add_digits(s numeric, x double precision) RETURNS numeric LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN x IS NULL THEN s ELSE coalesce(s, 0) + x::numeric END $$;
CREATE OR REPLACE FUNCTION as_double(s numeric) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$ SELECT s::double precision $$;
CREATE OR REPLACE AGGREGATE fsum(double precision) (SFUNC = add_digits, STYPE = numeric, FINALFUNC = as_double);
CREATE OR REPLACE AGGREGATE median(double precision) (SFUNC = keep_all, STYPE = double precision[], INITCOND = '{}', FINALFUNC = median_of);
CREATE OR REPLACE FUNCTION first_quartile_of(l double precision[]) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$ SELECT pravin.quantile_of(l, 0.25) $$;
CREATE OR REPLACE FUNCTION third_quartile_of(l double precision[]) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$ SELECT pravin.quantile_of(l, 0.75) $$;
CREATE OR REPLACE AGGREGATE first_quartile(double precision) (SFUNC = keep_all, STYPE = double precision[], INITCOND = '{}', FINALFUNC = first_quartile_of);
CREATE OR REPLACE AGGREGATE third_quartile(double precision) (SFUNC = keep_all, STYPE = double precision[], INITCOND = '{}', FINALFUNC = third_quartile_of);
CREATE OR REPLACE FUNCTION unread_value(r jsonb[], n text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT x ->> 'value' FROM unnest(r) WITH ORDINALITY AS f(x, at) WHERE x ->> 'name' = n AND x ->> 'value' IS NOT NULL ORDER BY at LIMIT 1 $$;
CREATE OR REPLACE FUNCTION struct_extract(s jsonb, k text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT s ->> k $$;

-- operations
CREATE OR REPLACE FUNCTION trim_spaces(t text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT pg_catalog.regexp_replace(t, '^[{SPACES}]+|[{SPACES}]+$', '', 'g') $$;
CREATE OR REPLACE FUNCTION single_spaces(t text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT btrim(pg_catalog.regexp_replace(t, '[{SPACES}]+', ' ', 'g')) $$;
CREATE OR REPLACE FUNCTION trimmed_text(t text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT nullif(trim_spaces(t), '') $$;
CREATE OR REPLACE FUNCTION single_spaced_text(t text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT nullif(single_spaces(t), '') $$;
CREATE OR REPLACE FUNCTION first_capital(t text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT upper(left(t, 1)) || lower(substring(t, 2)) $$;
CREATE OR REPLACE FUNCTION words_capital(t text) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN t IS NOT NULL THEN coalesce((SELECT string_agg(upper(left(m[1], 1)) || substring(m[1], 2), '' ORDER BY n)
    FROM pg_catalog.regexp_matches(lower(t), '([[:alpha:]\u0300-\u036f0-9'']+|[^[:alpha:]\u0300-\u036f0-9'']+)', 'g') WITH ORDINALITY AS f(m, n)), '') END $$;
CREATE OR REPLACE FUNCTION wide_to_plain(t text) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT pg_catalog.regexp_replace(replace(replace(replace(replace(translate(t, '{TYPOGRAPHIC}', '{PLAIN}'), '…', '...'), 'ﬁ', 'fi'), 'ﬂ', 'fl'), chr(8203), ''), '[{WIDE}]', ' ', 'g') $$;
CREATE OR REPLACE FUNCTION decode_escapes(t text) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT replace(replace(replace(replace(replace(t, '\\', chr(1)), '\t', chr(9)), '\n', chr(10)), '\r', chr(13)), chr(1), '\') $$;
CREATE OR REPLACE FUNCTION decode_entities(t text) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT replace(replace(replace(replace(replace(replace(replace(replace(replace(replace(t, '&nbsp;', chr(160)), '&lt;', '<'), '&gt;', '>'), '&quot;', '"'), '&#39;', ''''),
    '&apos;', ''''), '&deg;', '°'), '&micro;', 'µ'), '&plusmn;', '±'), '&amp;', '&') $$;
CREATE OR REPLACE FUNCTION is_number(t text) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$ SELECT btrim(t) ~ '^(?:[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d{1,3})?)$' $$;
CREATE OR REPLACE FUNCTION read_number(t text) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN pravin.is_number(t) THEN pravin.try_double(btrim(t)) END $$;
CREATE OR REPLACE FUNCTION write_number(x double precision) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT x::text $$;
CREATE OR REPLACE FUNCTION neat_number(x double precision) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN x = 0 THEN 0 WHEN NOT pravin.isfinite(x) THEN x ELSE pg_catalog.round(x::numeric, 14 - floor(log(abs(x)::numeric))::integer)::double precision END $$;
CREATE OR REPLACE FUNCTION as_exact(t text) RETURNS numeric LANGUAGE plpgsql IMMUTABLE AS $$ BEGIN RETURN t::numeric(38, 10); EXCEPTION WHEN others THEN RETURN NULL; END $$;
CREATE OR REPLACE FUNCTION as_exact(x numeric) RETURNS numeric LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN abs(x) < 1e28 THEN pg_catalog.round(x, 10) END $$;
CREATE OR REPLACE FUNCTION as_exact(x double precision) RETURNS numeric LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN abs(x) < 1e28 THEN pg_catalog.round(x::text::numeric, 10) END $$;
CREATE OR REPLACE FUNCTION read_exact(t text) RETURNS numeric LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN btrim(t) ~ '^(?:[+-]?0*(\d{1,28}(\.\d{0,10}0*)?|\.\d{1,10}0*))$' THEN btrim(t)::numeric(38, 10) END $$;
CREATE OR REPLACE FUNCTION exact_plus(x numeric, y numeric) RETURNS numeric LANGUAGE sql IMMUTABLE AS $$ SELECT pravin.as_exact(x + y) $$;
CREATE OR REPLACE FUNCTION exact_minus(x numeric, y numeric) RETURNS numeric LANGUAGE sql IMMUTABLE AS $$ SELECT pravin.as_exact(x - y) $$;
CREATE OR REPLACE FUNCTION exact_times(x numeric, y numeric) RETURNS numeric LANGUAGE sql IMMUTABLE AS $$ SELECT pravin.as_exact(x * y) $$;
CREATE OR REPLACE FUNCTION exact_round(x numeric, places integer) RETURNS numeric LANGUAGE sql IMMUTABLE AS $$ SELECT pg_catalog.round(x, places) $$;
CREATE OR REPLACE FUNCTION neat_sum(x double precision, largest double precision) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN x IS NULL OR largest = 0 OR NOT pravin.isfinite(x) OR NOT pravin.isfinite(largest) THEN x
    ELSE pg_catalog.round(x::text::numeric, 14 - floor(log(largest::text::numeric))::integer)::double precision END $$;
CREATE OR REPLACE FUNCTION exact_round_even(x numeric, places integer, unit numeric) RETURNS numeric LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN abs(pg_catalog.round(x, places) - x) * 2 = unit AND pg_catalog.round(x, places) % (unit * 2) <> 0
    THEN pg_catalog.round(x, places) - sign(x) * unit ELSE pg_catalog.round(x, places) END $$;
CREATE OR REPLACE FUNCTION round_number(x double precision, places integer) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN abs(x) < 1e15 AND places BETWEEN -15 AND 15 THEN pg_catalog.round(x::text::numeric, places)::double precision
    ELSE pravin.round(x, places) END $$;
CREATE OR REPLACE FUNCTION round_even_half(x double precision, places integer) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN abs(x) < 1e15 AND places BETWEEN -15 AND 15
    THEN pravin.exact_round_even(x::text::numeric, places, power(10::numeric, -places))::double precision
    ELSE pravin.round(x, places) END $$;
CREATE OR REPLACE FUNCTION fixed_number(x double precision, places integer, decimal_mark text, thousands_mark text) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN x < 0 AND pg_catalog.round(x::numeric, places) <> 0 THEN '-' ELSE '' END
    || pg_catalog.regexp_replace(split_part(abs(pg_catalog.round(x::numeric, places))::text, '.', 1), '(\d)(?=(\d{3})+$)', '\1' || thousands_mark, 'g')
    || CASE WHEN places > 0 THEN decimal_mark || split_part(abs(pg_catalog.round(x::numeric, places))::text, '.', 2) ELSE '' END $$;
CREATE OR REPLACE FUNCTION any_moment(t text, f text) RETURNS timestamp LANGUAGE plpgsql IMMUTABLE AS $$
DECLARE pattern text := ''; keys text[] := '{}'; at integer := 1; c text; found text[]; y integer := 1900; mo integer := 1; d integer := 1; h integer := 0; mi integer := 0; s integer := 0; v text; k integer;
BEGIN
  IF t IS NULL THEN RETURN NULL; END IF;
  WHILE at <= length(f) LOOP
    c := substr(f, at, 1);
    IF c = '%' THEN
      c := substr(f, at + 1, 1); at := at + 2; keys := keys || c;
      pattern := pattern || CASE c WHEN 'Y' THEN '(\d{4})' WHEN 'b' THEN '([A-Za-z]{3})' WHEN 'B' THEN '([A-Za-z]+)' ELSE '(\d{1,2})' END;
    ELSE
      pattern := pattern || pg_catalog.regexp_replace(c, '([.\\+*?\[\](){}|^$/-])', '\\\1'); at := at + 1;
    END IF;
  END LOOP;
  found := regexp_match(btrim(t), '^' || pattern || '$');
  IF found IS NULL THEN RETURN NULL; END IF;
  FOR k IN 1..cardinality(keys) LOOP
    v := found[k];
    CASE keys[k]
      WHEN 'Y' THEN y := v::integer;
      WHEN 'y' THEN y := CASE WHEN v::integer < 69 THEN 2000 ELSE 1900 END + v::integer;
      WHEN 'm' THEN mo := v::integer;
      WHEN 'd' THEN d := v::integer;
      WHEN 'H' THEN h := v::integer;
      WHEN 'M' THEN mi := v::integer;
      WHEN 'S' THEN s := v::integer;
      WHEN 'b' THEN mo := (strpos('janfebmaraprmayjunjulaugsepoctnovdec', lower(v)) + 2) / 3;
      WHEN 'B' THEN mo := (strpos('janfebmaraprmayjunjulaugsepoctnovdec', lower(left(v, 3))) + 2) / 3;
      ELSE RETURN NULL;
    END CASE;
  END LOOP;
  RETURN make_timestamp(y, mo, d, h, mi, s);
EXCEPTION WHEN others THEN RETURN NULL;
END $$;
CREATE OR REPLACE FUNCTION read_moment(t text, p text, f text) RETURNS timestamp LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN pravin.regexp_full_match(btrim(t), p) THEN pravin.any_moment(t, f) END $$;
CREATE OR REPLACE FUNCTION write_moment(m timestamp, f text) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT replace(replace(replace(replace(replace(replace(replace(replace(replace(replace(replace(replace(replace(f,
    '%Y', to_char(m, 'YYYY')), '%m', to_char(m, 'MM')), '%d', to_char(m, 'DD')), '%H', to_char(m, 'HH24')), '%M', to_char(m, 'MI')), '%S', to_char(m, 'SS')),
    '%y', to_char(m, 'YY')), '%b', to_char(m, 'Mon')), '%B', to_char(m, 'FMMonth')), '%j', to_char(m, 'DDD')), '%A', to_char(m, 'FMDay')), '%a', to_char(m, 'Dy')), '%p', to_char(m, 'AM')) $$;
CREATE OR REPLACE FUNCTION safe_date(y integer, m integer, d integer) RETURNS date LANGUAGE plpgsql IMMUTABLE AS $$ BEGIN RETURN make_date(y, m, d); EXCEPTION WHEN others THEN RETURN NULL; END $$;
CREATE OR REPLACE FUNCTION days_later(m timestamp, n integer) RETURNS timestamp LANGUAGE plpgsql IMMUTABLE AS $$ BEGIN RETURN m + make_interval(days => n); EXCEPTION WHEN others THEN RETURN NULL; END $$;
CREATE OR REPLACE FUNCTION seconds_later(m timestamp, n double precision) RETURNS timestamp LANGUAGE plpgsql IMMUTABLE AS $$ BEGIN RETURN m + make_interval(secs => n); EXCEPTION WHEN others THEN RETURN NULL; END $$;
CREATE OR REPLACE FUNCTION months_later(m timestamp, n integer) RETURNS timestamp LANGUAGE plpgsql IMMUTABLE AS $$ BEGIN RETURN m + make_interval(months => n); EXCEPTION WHEN others THEN RETURN NULL; END $$;
CREATE OR REPLACE FUNCTION years_later(m timestamp, n integer) RETURNS timestamp LANGUAGE plpgsql IMMUTABLE AS $$ BEGIN RETURN m + make_interval(years => n); EXCEPTION WHEN others THEN RETURN NULL; END $$;
CREATE OR REPLACE FUNCTION within_century(m timestamp, last integer) RETURNS timestamp LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN extract(day FROM later) = extract(day FROM m) THEN later END
  FROM (SELECT pravin.years_later(m, last - (10000 + last - extract(year FROM m)::integer) % 100 - extract(year FROM m)::integer) AS later) AS moved $$;
CREATE OR REPLACE FUNCTION plain_hash(t text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT encode(pg_catalog.sha256(convert_to(t, 'UTF8')), 'hex') $$;
CREATE OR REPLACE FUNCTION keyed_hash(t text, outer_pad text, inner_pad text) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT encode(pg_catalog.sha256(decode(outer_pad, 'hex') || pg_catalog.sha256(decode(inner_pad, 'hex') || convert_to(t, 'UTF8'))), 'hex') $$;
CREATE OR REPLACE FUNCTION is_truth(t text) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN lower(btrim(t)) IN ('yes', 'true', 'y', 't', '1') THEN true WHEN lower(btrim(t)) IN ('no', 'false', 'n', 'f', '0') THEN false END $$;
CREATE OR REPLACE FUNCTION before_text(t text, m text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN strpos(t, m) > 0 THEN left(t, strpos(t, m) - 1) END $$;
CREATE OR REPLACE FUNCTION after_text(t text, m text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN strpos(t, m) > 0 THEN substring(t, strpos(t, m) + length(m)) END $$;
CREATE OR REPLACE FUNCTION before_last_text(t text, m text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN strpos(t, m) > 0 THEN left(t, length(t) - strpos(reverse(t), reverse(m)) - length(m) + 1) END $$;
CREATE OR REPLACE FUNCTION after_last_text(t text, m text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT CASE WHEN strpos(t, m) > 0 THEN right(t, strpos(reverse(t), reverse(m)) - 1) END $$;
CREATE OR REPLACE FUNCTION part_from_left(t text, m text, n integer) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT (pravin.string_split(t, m))[n] $$;
CREATE OR REPLACE FUNCTION part_from_right(t text, m text, n integer) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT (pravin.string_split(t, m))[cardinality(pravin.string_split(t, m)) - n + 1] $$;
CREATE OR REPLACE FUNCTION rest_from_left(t text, m text, n integer) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT array_to_string((pravin.string_split(t, m))[n:], m) $$;
CREATE OR REPLACE FUNCTION rest_from_right(t text, m text, n integer) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT array_to_string((pravin.string_split(t, m))[:cardinality(pravin.string_split(t, m)) - n + 1], m) $$;
CREATE OR REPLACE FUNCTION parts_between(t text, m text) RETURNS text[] LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN t IS NOT NULL THEN coalesce((SELECT array_agg(btrim(x) ORDER BY n) FROM unnest(pravin.string_split(t, m)) WITH ORDINALITY AS f(x, n) WHERE btrim(x) <> ''), '{}'::text[]) END $$;
CREATE OR REPLACE FUNCTION hex_byte(h text, i integer) RETURNS integer LANGUAGE sql IMMUTABLE AS $$
  SELECT get_byte(decode(h, 'hex'), i % 32) $$;
CREATE OR REPLACE FUNCTION disguised(t text, h text) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN t IS NOT NULL THEN coalesce((SELECT string_agg(CASE WHEN c ~ '^[0-9]$' THEN chr(48 + pravin.hex_byte(h, i) % 10)
      WHEN c !~ '^[[:alpha:]]$' THEN c WHEN lower(c) <> c THEN chr(65 + pravin.hex_byte(h, i) % 26)
      ELSE chr(97 + pravin.hex_byte(h, i) % 26) END, '' ORDER BY i)
    FROM (SELECT n AS i, substring(t from n for 1) AS c FROM generate_series(1, length(t)) AS n) AS parts), '') END $$;
CREATE OR REPLACE FUNCTION days_of_period(a date, b date, most integer, each text) RETURNS date[] LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN b >= a AND b - a < most THEN
    (SELECT array_agg(CAST(x AS date) ORDER BY x) FROM generate_series(date_trunc(each, a::timestamp), b::timestamp, ('1 ' || each)::interval) AS x) END $$;
CREATE OR REPLACE FUNCTION each_once(l text[]) RETURNS text[] LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN l IS NOT NULL THEN coalesce((SELECT array_agg(x ORDER BY n) FROM (SELECT x, min(n) AS n FROM unnest(l) WITH ORDINALITY AS f(x, n) GROUP BY x) AS g), '{}'::text[]) END $$;
CREATE OR REPLACE FUNCTION key_text(t text) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT lower(pg_catalog.regexp_replace(t, '[{SPACES}]', '', 'g')) $$;
CREATE OR REPLACE FUNCTION iban_holds(t text) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN replace(upper(t), ' ', '') ~ '^[A-Z]{2}[0-9]{2}[A-Z0-9]{11,30}$' THEN (
    SELECT string_agg(CASE WHEN c ~ '[0-9]' THEN c ELSE (ascii(c) - 55)::text END, '' ORDER BY n)
    FROM regexp_split_to_table(substring(replace(upper(t), ' ', ''), 5) || left(replace(upper(t), ' ', ''), 4), '') WITH ORDINALITY AS f(c, n)
    )::numeric % 97 = 1 WHEN t IS NOT NULL THEN false END $$;
CREATE OR REPLACE FUNCTION card_holds(t text) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN btrim(t) ~ '^[0-9]([ -]?[0-9]){12,18}$' THEN (
    SELECT sum((c::int * (2 - n::int % 2)) % 10 + (c::int * (2 - n::int % 2)) / 10)
    FROM regexp_split_to_table(reverse(pg_catalog.regexp_replace(t, '[^0-9]', '', 'g')), '') WITH ORDINALITY AS f(c, n)
    ) % 10 = 0 WHEN t IS NOT NULL THEN false END $$;
CREATE OR REPLACE FUNCTION letter_shape(t text) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT pg_catalog.regexp_replace(pg_catalog.regexp_replace(pg_catalog.regexp_replace(t, '[0-9]', '9', 'g'), '[[:upper:]]', 'A', 'g'), '[[:lower:]]', 'a', 'g') $$;
