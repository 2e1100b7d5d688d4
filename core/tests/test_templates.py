"""Templates of expressions: every place has a part of its own."""

from __future__ import annotations

import pytest
from sqlglot import exp, parse_one

from pravin_core.sql.trees import after, column, copied, joined, met, sql, table, template

QUERIES = (
    "SELECT a, TRIM(b) AS b FROM t WHERE a > 1 AND NOT b IS NULL ORDER BY a DESC LIMIT 3",
    "SELECT CASE WHEN a IN (1, 2) THEN [a, b] ELSE NULL END, LIST_TRANSFORM(c, x -> x + 1) FROM t AS u",
    "SELECT * EXCLUDE (a), SUM(b) OVER (PARTITION BY c ORDER BY d) FROM (SELECT * FROM t) AS s LEFT JOIN r ON s.a = r.a",
    "SELECT CAST(a AS DECIMAL(12, 3)), {'k': a, 'l': b}, TRY_CAST(c AS DATE) FROM t UNION ALL SELECT 1, 2, 3",
)


def test_a_part_that_stands_twice_can_be_replaced_in_one_place() -> None:
    expression = template("CASE WHEN :c > 0 THEN :c END", c=column("ph"))
    first, second = expression.find_all(exp.Column)
    assert first is not second
    first.replace(exp.null())
    assert sql(expression) in ('CASE WHEN NULL > 0 THEN "ph" END', 'CASE WHEN "ph" > 0 THEN NULL END')


def test_the_part_that_was_given_stays_as_it_was() -> None:
    part = template(":a + 1", a=column("ph"))
    other = template("abs(:p)", p=part)
    for node in list(other.find_all(exp.Column)):
        node.replace(exp.Literal.number(7))
    assert sql(part) == '"ph" + 1'
    assert sql(other) == "ABS(7 + 1)"
    assert part.parent is None


def test_every_node_of_a_template_has_its_own_parent() -> None:
    expression = template(
        "CASE WHEN :f THEN :x ELSE coalesce(:x, :f) END", f=template(":c IS NULL", c=column("a")), x=column("b")
    )
    for node in expression.walk():
        for child in node.iter_expressions():
            assert child.parent is node
    assert len({id(node) for node in expression.walk()}) == sum(1 for _ in expression.walk())


def test_values_become_literals_and_unknown_names_stay() -> None:
    assert sql(template(":a || :b", a="it's")) == "'it''s' || $b"


@pytest.mark.parametrize("query", QUERIES)
def test_a_copy_says_the_same_and_shares_nothing(query: str) -> None:
    tree = parse_one(query, dialect="duckdb")
    other = copied(tree)
    assert other == tree
    assert sql(other) == sql(tree) == sql(tree.copy())
    assert not {id(node) for node in other.walk()} & {id(node) for node in tree.walk()}
    for node in other.walk():
        for child in node.iter_expressions():
            assert child.parent is node
            at = node.args[child.arg_key or ""]
            assert (at if child.index is None else at[child.index]) is child


def test_what_takes_the_place_of_a_node_hides_what_is_below_it() -> None:
    tree = template("coalesce(trim(:a), lower(trim(:b)))", a=column("a"), b=column("b"))
    other = copied(tree, lambda node: column("c") if isinstance(node, exp.Trim) else None)
    assert sql(other) == 'COALESCE("c", LOWER("c"))'
    assert sql(tree) == 'COALESCE(TRIM("a"), LOWER(TRIM("b")))'
    first, second = other.find_all(exp.Column)
    second.replace(exp.null())
    assert sql(other) in ('COALESCE("c", LOWER(NULL))', 'COALESCE(NULL, LOWER("c"))')
    assert first is not second


def test_a_copy_may_be_deeper_than_calls_may_nest() -> None:
    tree: exp.Expr = column("a")
    for _ in range(5000):
        tree = exp.Paren(this=tree)
    other, depth = copied(tree), 0
    while isinstance(other, exp.Paren):
        other, depth = other.this, depth + 1
    assert depth == 5000
    assert other == column("a")


def test_what_is_joined_stays_as_it_was() -> None:
    flag = column("a")
    tree = joined(exp.Or, [flag, flag, column("b")])
    assert sql(tree) == '(("a") OR ("a")) OR ("b")' or sql(tree) == '(("a") OR ("a")) OR (("b"))'
    assert flag.parent is None
    assert len({id(node) for node in tree.walk()}) == sum(1 for _ in tree.walk())


def test_tables_are_named_met_and_asked_after_each_other() -> None:
    query = met(
        exp.select(column("a", "t")).from_(table("step_1", "t")),
        table("other", "o"),
        template("t.a IS NOT DISTINCT FROM o.a"),
    )
    whole = after(exp.select("*").from_(table("last")), [("step_1", exp.select("1 AS a")), ("last", query)])
    assert sql(whole) == (
        'WITH step_1 AS (SELECT 1 AS a), last AS (SELECT t."a" FROM step_1 AS t LEFT JOIN other AS o '
        "ON t.a IS NOT DISTINCT FROM o.a) SELECT * FROM last"
    )
