"""Templates of expressions: every place has a part of its own."""

from __future__ import annotations

from sqlglot import exp

from pravin_core.sql.trees import column, sql, template


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
