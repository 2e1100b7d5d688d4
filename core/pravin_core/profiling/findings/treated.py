"""Which findings the rules of a rulebook already treat, and by which rule."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.errors import PravinError
from pravin_core.profiling.findings.base import as_values
from pravin_core.profiling.model import Finding
from pravin_core.rules.base import AcrossCheck, Check, ColumnCorrection, RecordsCheck, Rule, as_text
from pravin_core.rules.registry import KINDS
from pravin_core.rules.rulebook import Rulebook
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables.columns import Column


def treated(findings: Sequence[Finding], rulebook: Rulebook, scratch: Path) -> dict[str, str]:
    """By the id of a finding the id of the first rule that treats it.

    A rule treats a finding about one column if it changes, or holds back, every value that the finding shows (at most 12);
    a finding about records or several columns only if it is the rule that the finding proposes.
    """
    rules = [rule for rule in rulebook.rules if rule.enabled]
    if not rules or not findings:
        return {}
    results: dict[str, str] = {}
    with connect([], scratch) as con:
        know_operations(con)
        for finding in findings:
            rule = next((rule for rule in rules if _treats(con, rule, finding)), None)
            if rule is not None:
                results[finding.id] = rule.id
    return results


def _treats(con: Connection, rule: Rule, finding: Finding) -> bool:
    if _is_proposed(rule, finding):
        return True
    if len(finding.columns) != 1 or not finding.evidence or (finding.severity == "low" and finding.rule is None):
        return False
    if finding.columns[0] not in rule.needs() or rule.condition():
        return False
    of, cell = Column(finding.columns[0]), template("nullif(:v, '')", v=column("value"))
    try:
        if isinstance(rule, ColumnCorrection) and of.name in rule.columns:
            corrected = rule.correct(cell, of)
            treats = template(
                ":new IS DISTINCT FROM :old",
                new=exp.paren(corrected.written or as_text(corrected.value, corrected.type)),
                old=cell,
            )
        elif (
            isinstance(rule, Check) and not isinstance(rule, AcrossCheck | RecordsCheck) and rule.consequence != "note"
        ):
            treats = rule.breaks(cell, of)
        else:
            return False
        values = as_values([evidence.value for evidence in finding.evidence])
        query = exp.select(template("coalesce(bool_and(:t), false)", t=exp.paren(treats))).from_(values)
        return bool(con.execute(sql(query)).fetchall()[0][0])
    except PravinError:
        return False  # a rule that needs other columns, or a type that only a run knows, says nothing here


def _is_proposed(rule: Rule, finding: Finding) -> bool:
    if finding.rule is None or rule.kind != finding.rule["kind"] or rule.condition():
        return False
    fields, proposed = (
        rule.model_dump(mode="json"),
        KINDS[rule.kind](id=rule.id, **_parts(finding.rule)).model_dump(mode="json"),
    )
    same = {name: value for name, value in fields.items() if name not in ("columns", "note", "by")}
    return set(proposed.get("columns", ())) <= set(fields.get("columns", ())) and all(
        proposed[name] == value for name, value in same.items()
    )


def _parts(rule: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in rule.items() if name != "kind"}
