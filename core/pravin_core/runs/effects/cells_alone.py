"""The effect on cells that depend on a few columns of their own record: once for each combination of values."""

from __future__ import annotations

import json
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import nullcontext
from dataclasses import replace
from functools import reduce
from typing import Any

from sqlglot import exp

from pravin_core.compiler.plan import RunContext, compile_corrections
from pravin_core.engines.base import Connection
from pravin_core.engines.duckdb import beside
from pravin_core.rules.base import (
    ColumnCorrection,
    Derivation,
    Rule,
)
from pravin_core.runs.change_samples import MOST_PAIRS, by_frequency
from pravin_core.runs.effects.cells import Asked, answered, asked, of_cells
from pravin_core.runs.effects.grouping import group, remaining, repeating
from pravin_core.runs.effects.model import RuleEffect
from pravin_core.runs.effects.question import Question
from pravin_core.runs.runner import DELIVERED


class CellsAlone:
    """Column by column; the records that several columns touch are not told apart. Cells that depend on no column at all have
    nothing to be grouped by.
    """

    def applies(self, question: Question) -> bool:
        parts = question.parts
        return (
            isinstance(question.rule, ColumnCorrection | Derivation)
            and bool(parts)
            and all(part.wanted for part in parts)
        )

    def compute(self, question: Question) -> RuleEffect:
        con, parts = question.con, question.parts
        source = remaining(question)
        worth_it = repeating(con, source, [part.wanted for part in parts])
        side_by_side = len(parts) > 1 and source == DELIVERED  # the tables of a connection are its own
        known: dict[str, Asked] = {}  # most columns are asked the same

        def of(at: int) -> RuleEffect:
            part = parts[at]
            with beside(con) if side_by_side else nullcontext(con) as mine:
                rules = [*part.needed, (question.number, part.rule)]
                alike = _for_any_column(rules, part.wanted)
                called = [ANY] if alike else part.wanted
                table = group(mine, question.snapshot, source, part.wanted, worth_it[at], called)
                if alike:
                    return _of_any_column(mine, table, alike, part.wanted[0], question.context, known)
                builder = question.compiled(rules, table, part.wanted, ("__times",))
                return of_cells(mine, builder, question.number, part.needed)

        with ThreadPoolExecutor(2 if side_by_side else 1) as threads:
            return reduce(_together, threads.map(of, range(len(parts))))


ANY = "__any"


def _of_any_column(
    con: Connection,
    table: str,
    rules: Sequence[tuple[int, Rule]],
    name: str,
    context: RunContext,
    known: dict[str, Asked],
) -> RuleEffect:
    """The effect of the last of some rules on the column `name`; `known` are the statements of columns asked before."""
    role = context.roles.get(name, "")
    key = json.dumps([table, role, *((n, rule.model_dump(mode="json")) for n, rule in rules)])
    if key not in known:
        near = replace(context, roles={ANY: role})
        builder = compile_corrections(rules, exp.to_table(table), [ANY], near, ("__times",))
        known[key] = asked(builder, rules[-1][0], rules[:-1])
    rule_effect = answered(con, known[key])
    pairs, lost = (
        tuple(pair.model_copy(update={"column": pair.column.replace(ANY, name, 1)}) for pair in some)
        for some in (rule_effect.pairs, rule_effect.lost)
    )
    return rule_effect.model_copy(update={"pairs": pairs, "lost": lost})


def _for_any_column(rules: Sequence[tuple[int, Rule]], wanted: Sequence[str]) -> list[tuple[int, Rule]]:
    """Rules on one delivered column as rules on a column that could be any; none where one says more of the column."""
    results: list[tuple[int, Rule]] = []
    for number, rule in rules:
        if len(wanted) != 1 or not isinstance(rule, ColumnCorrection) or rule.condition() or rule.by is not None:
            return []
        if rule.columns not in ((), (wanted[0],)) or set(rule.needs()) - {wanted[0]}:
            return []
        if wanted[0] in _said(rule.model_dump(exclude={"columns", "id", "kind", "note"})):
            return []
        results.append((number, rule.model_copy(update={"columns": (ANY,)}) if rule.columns else rule))
    return results


def _said(value: Any) -> list[str]:
    """All texts in the fields of a rule."""
    parts = value.values() if isinstance(value, dict) else value if isinstance(value, list | tuple | set) else ()
    return [value] if isinstance(value, str) else [text for part in parts for text in _said(part)]


def _together(one: RuleEffect, other: RuleEffect) -> RuleEffect:
    """The effects of a rule on two columns as one; the records that both touch are not told apart."""
    pairs, lost = (
        sorted((*one.pairs, *other.pairs), key=by_frequency),
        sorted((*one.lost, *other.lost), key=by_frequency),
    )
    return RuleEffect(
        records=None, fills=one.fills and other.fills,
        cells=one.cells + other.cells, unconverted=one.unconverted + other.unconverted, different=one.different + other.different,
        pairs=tuple(pairs[:MOST_PAIRS]), lost=tuple(lost[:MOST_PAIRS]), undone=one.undone + other.undone, undoes=one.undoes or other.undoes,
    )  # fmt: skip
