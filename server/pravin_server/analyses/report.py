"""The profile of a delivery as a report: a page that stands alone, and JSON."""

from __future__ import annotations

import json
from typing import Any

from django.template.loader import render_to_string

from pravin_core.profiling.comparison import Comparison
from pravin_core.profiling.model import ColumnProfile, Profile
from pravin_server.analyses.models import Analysis
from pravin_server.deliveries.models import Delivery
from pravin_server.findings.queries import findings_by_severity
from pravin_server.runs.tables_after import profile_at, table_or_404

SHOWN = 12


def name_of(delivery: Delivery, ending: str) -> str:
    """The file name of a report."""
    return f"{delivery.feed.slug}-{delivery.number}-profile.{ending}"


def data(delivery: Delivery, beside: Analysis | None, table: int | None = None) -> str:
    """The report as JSON text: the delivery, its profile, findings with decisions, and what changed."""
    fields = {
        **_head(delivery, beside, table),
        "profile": _profile(delivery, table).model_dump(mode="json", exclude={"findings"}),
        "findings": [
            {**entry["finding"].model_dump(mode="json"), "state": entry["state"], "reason": entry["reason"]}
            for entry in findings_by_severity(delivery, table)
        ],
        "comparison": beside.content if beside else None,
    }
    return json.dumps(fields, indent=2, ensure_ascii=False)


def page(delivery: Delivery, beside: Analysis | None, table: int | None = None) -> str:
    """The report as one HTML page without anything from outside."""
    profile = _profile(delivery, table)
    findings = findings_by_severity(delivery, table)
    about: dict[str, list[Any]] = {}
    for finding in findings:
        for name in finding["finding"].columns:
            about.setdefault(name, []).append(finding)
    compared = Comparison.model_validate(beside.content) if beside else None
    return render_to_string("analyses/report.html", {
        **_head(delivery, beside, table),
        "profile": profile,
        "findings": findings,
        "columns": [_column(column, profile.records, about.get(column.name, [])) for column in profile.columns],
        "compared": compared,
        "changed": [_changed(column) for column in compared.columns] if compared else [],
    })  # fmt: skip


def _profile(delivery: Delivery, table: int | None) -> Profile:
    return Profile.model_validate(profile_at(delivery, table))


def _head(delivery: Delivery, beside: Analysis | None, table: int | None) -> dict[str, Any]:
    sides = ("as delivered", "after the rules") if beside and beside.asked.keys() & {"run", "table"} else None
    if beside and "delivery" in beside.asked:
        other = Delivery.objects.get(pk=beside.asked["delivery"])
        sides = (f"delivery {other.number}", f"delivery {delivery.number}")
    return {
        "feed": delivery.feed.name,
        "delivery": delivery.number,
        "received": f"{delivery.received:%Y-%m-%d %H:%M}",
        "files": [{"name": file.name, "sha256": file.sha256, "bytes": file.size} for file in delivery.files.all()],
        "sides": sides,
        "after": table_or_404(delivery, table).place if table else None,
    }


def _column(column: ColumnProfile, records: int, findings: list[Any]) -> dict[str, Any]:
    most = max((bin_.count for bin_ in column.distribution.bins), default=1) or 1
    return {
        "profile": column,
        "findings": findings,
        "filled": 100 * (records - column.missing - column.kinds.get("missing token", 0)) / records if records else 0,
        "bars": [{"bar": bin_, "height": (tall := round(40 * bin_.count / most, 2)), "y": round(42 - tall, 2)}
                 for bin_ in column.distribution.bins],
        "values": column.values[:SHOWN],
        "more": max(0, column.distinct - SHOWN),
        "shapes": column.shapes[:6],
    }  # fmt: skip


def _changed(one: Any) -> dict[str, Any]:
    """A column of the comparison, and the measures that differ."""
    rows = []
    for label, of in _ROWS:
        first, second = (of(side) if side else None for side in (one.first, one.second))
        if first != second:
            rows.append({"label": label, "first": first, "second": second})
    return {"compared": one, "rows": rows or [{"label": "no measure differs", "first": None, "second": None}]}


_ROWS = (
    ("type", lambda item: str(item.type)),
    ("missing", lambda item: item.missing + item.kinds.get("missing token", 0)),
    ("do not fit", lambda item: item.misfits),
    ("different", lambda item: item.distinct),
    ("minimum", lambda item: item.numbers.minimum if item.numbers else None),
    ("median", lambda item: item.numbers.median if item.numbers else None),
    ("mean", lambda item: item.numbers.mean if item.numbers else None),
    ("maximum", lambda item: item.numbers.maximum if item.numbers else None),
    ("standard deviation", lambda item: item.numbers.standard_deviation if item.numbers else None),
    ("first", lambda item: item.dates.first if item.dates else None),
    ("last", lambda item: item.dates.last if item.dates else None),
)
